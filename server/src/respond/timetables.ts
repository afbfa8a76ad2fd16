import type { Relay, TimetableBody } from '@dewpost/contract';
import { lineFault } from '@dewpost/core/time';
import type { Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import type { OutputTimetable, PointEntry } from '../model/entries';
import { writeNodeLog } from '../model/node-log';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import type { Change } from '../store/change';

interface Parts {
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
}

/** Lays down by which times an output runs, and in which hours rules may switch it. A run under way stands down; the next begins at its time. */
export class Timetables {
  constructor(private readonly parts: Parts) {}

  /** Throws 404 where it is no output, 422 where a line could not be right, 409 where somebody was faster. */
  async set(id: number, { from, lines, hours }: TimetableBody, by: string): Promise<Relay> {
    const { engine, registry } = this.parts;
    const output = registry.points.get(id);
    if (!output?.body.output) throw notFound(`output ${id}`);
    const { maxRunSeconds } = output.body.output.guards;
    lines.forEach((line, i) => {
      const fault = lineFault(line, maxRunSeconds);
      if (fault === null) return;
      const message = `Line ${i + 1}: ${fault}.`;
      throw new ProblemError(422, 'Cannot be used', message, [{ path: `body.lines.${i}`, message }]);
    });
    await engine.work(async () => {
      const before = output.timetable?.version ?? 0;
      if (before !== from) throw changedMeanwhile('timetable', from, before, engine.relayView(output, engine.now()));
      const draft = await engine.draft();
      const now = engine.now();
      const timetable: OutputTimetable = { version: before + 1, lines, hours, begunAt: now };
      const effects: Effect[] = [
        { kind: 'end-demand', output, source: 'timetable', threshold: null, at: now, why: `timetable changed by ${by}` },
      ];
      await engine.transact(draft, now, async (change) => {
        await this.write(change, output, timetable, by);
        return { value: undefined, effects };
      });
    });
    return engine.relayView(output, engine.now());
  }

  private async write(change: Change, output: PointEntry, timetable: OutputTimetable, by: string): Promise<void> {
    const { registry, nodes, engine, hub } = this.parts;
    const { version, lines, hours, begunAt } = timetable;
    const row = { version, lines: JSON.stringify(lines), hours: hours && JSON.stringify(hours), begun_at: new Date(begunAt) };
    await change
      .trx('timetable')
      .insert({ point_id: output.id, ...row, made_by: by, made_at: new Date(begunAt) })
      .onConflict('point_id')
      .merge();
    const hoursBefore = output.timetable?.hours ?? null;
    change.apply(() => (output.timetable = timetable));
    const words = `timetable of ${output.name} changed by ${by}`;
    // A node that follows rules of its own for it knows no hours: it is told whether it still may.
    const followed = registry.thresholdsSwitching(output.id).some(({ point }) => point.node === output.node);
    if (followed && (hoursBefore === null) !== (hours === null)) await nodes.changed(change, output.node, words);
    else await writeNodeLog(change.trx, [{ node: output.node, level: 'info', text: words }]);
    change.tell(() => hub.publish([{ type: 'relay', relay: engine.relayView(output, engine.now()) }]));
  }
}
