import { outputLimitsSchema, type OutputLimitsBody, type Relay } from '@dewpost/contract';
import { limitsNothing } from '@dewpost/core/control';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { Ticker } from '../engine/ticker';
import type { Hub } from '../events/hub';
import { QUALITY_CODE } from '../intake/batch';
import type { LimitsInForce, PointEntry } from '../model/entries';
import { writeNodeLog } from '../model/node-log';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';

interface Parts {
  database: Database;
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
  log: Logger;
}
const METER_UNITS: readonly string[] = ['l', 'm³'];
const LOOK_EVERY_MS = 1000;

/** Puts what the database has of limits onto the outputs. */
export async function loadOutputLimits(database: Database, registry: Registry): Promise<void> {
  const rows = (await database('output_limit').select('point_id', 'version', 'body')) as {
    point_id: number;
    version: number;
    body: unknown;
  }[];
  for (const { point_id: id, version, body } of rows) {
    const output = registry.points.get(id);
    if (output) output.limits = inForce(registry, outputLimitsSchema.parse(body), version);
  }
}

const inForce = (registry: Registry, body: OutputLimitsBody, version: number): LimitsInForce => ({
  ...body,
  version,
  meterAt: null,
  point: (id) => registry.points.get(id),
  midnight: registry.midnight,
});

/** What outputs may do within a day, and which conditions forbid them. */
export class OutputLimitsBook {
  private readonly ticker: Ticker;

  constructor(private readonly parts: Parts) {
    this.ticker = new Ticker(LOOK_EVERY_MS, parts.log);
  }

  start(): void {
    this.ticker.start(
      () => this.readMeters(Date.now()),
      () => undefined,
    );
  }
  stop(): void {
    this.ticker.stop();
  }

  /** Throws 404 where it is no output, 422 where a limit could not be kept, 409 where somebody was faster. */
  async set(id: number, { from, ...body }: OutputLimitsBody & { from: number }, by: string): Promise<Relay> {
    const { engine, registry, nodes, hub } = this.parts;
    const output = registry.points.get(id);
    if (!output?.body.output) throw notFound(`output ${id}`);
    this.refuseFaults(output, body);
    await engine.work(async () => {
      const before = output.limits?.version ?? 0;
      if (before !== from) throw changedMeanwhile('limits', from, before, engine.relayView(output, engine.now()));
      const draft = await engine.draft();
      await engine.transact(draft, engine.now(), async (change) => {
        const row = { version: before + 1, body: JSON.stringify(body), made_by: by, made_at: new Date() };
        await change
          .trx('output_limit')
          .insert({ point_id: id, ...row })
          .onConflict('point_id')
          .merge();
        change.apply(() => (output.limits = inForce(registry, body, before + 1)));
        const words = `limits of ${output.name} ${limitsNothing(body) ? 'taken off' : 'laid down'} by ${by}`;
        // A node that follows rules of its own for it knows no limits: it is told whether it still may.
        if (registry.thresholdsSwitching(id).some(({ point }) => point.node === output.node))
          await nodes.changed(change, output.node, words);
        else await writeNodeLog(change.trx, [{ node: output.node, level: 'info', text: words }]);
        change.tell(() => hub.publish([{ type: 'relay', relay: engine.relayView(output, engine.now()) }]));
        return { value: undefined, effects: [] };
      });
    });
    await this.readMeters(Date.now());
    await engine.apply([]);
    return engine.relayView(output, engine.now());
  }

  private refuseFaults(output: PointEntry, { litres, meter, forbids, seconds }: OutputLimitsBody): void {
    const { registry } = this.parts;
    const refuse = (path: string, message: string): never => {
      throw new ProblemError(422, 'Cannot be kept', message, [{ path: `body.${path}`, message }]);
    };
    const { minOnSeconds } = output.body.output?.guards ?? { minOnSeconds: 0 };
    if (seconds !== null && seconds < minOnSeconds)
      refuse('seconds', `Less than its minimum time on, ${minOnSeconds} s: it could never run.`);
    if (litres !== null) {
      const point = meter === null ? undefined : registry.points.get(meter);
      if (!point) refuse('meter', 'Litres are counted by a meter: choose its point.');
      else if (!METER_UNITS.includes(point.body.unit))
        refuse('meter', `${point.body.label} reads ${point.body.unit || 'no unit'}: a meter counts l or m³.`);
    }
    forbids.forEach(({ point: id, setpoint }, i) => {
      const point = registry.points.get(id);
      if (!point) return refuse(`forbids.${i}.point`, `There is no point ${id}.`);
      if (point === output) refuse(`forbids.${i}.point`, 'An output does not forbid itself: choose another point.');
      const { physicalMin, physicalMax, unit } = point.body;
      if (setpoint < physicalMin || setpoint > physicalMax)
        refuse(`forbids.${i}.setpoint`, `It reads ${physicalMin} to ${physicalMax} ${unit}: choose a level within that.`);
    });
  }

  /** Looks up what meters counted as the day began, once a day each. */
  private async readMeters(now: number): Promise<void> {
    const { registry, database } = this.parts;
    const day = registry.midnight(now);
    for (const { limits } of registry.points.values()) {
      if (!limits || limits.litres === null || limits.meter === null || limits.meterAt?.day === day) continue;
      // The last before the day, or the first of it: one that is new today begins with that.
      const good = `select value from reading where point_id = ? and quality <> ?`;
      const [last, first] = [`${good} and at <= ? order by at desc limit 1`, `${good} and at > ? order by at limit 1`];
      const given = [limits.meter, QUALITY_CODE.bad, new Date(day)];
      const { rows } = (await database.raw(`(${last}) union all (${first})`, [...given, ...given])) as { rows: { value: number }[] };
      if (rows[0]) limits.meterAt = { day, count: rows[0].value };
    }
  }
}
