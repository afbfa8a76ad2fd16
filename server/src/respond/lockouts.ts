import type { Relay } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import type { Logger } from 'pino';
import type { Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import { writeNodeLog } from '../model/node-log';
import type { Lock, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import { notFound, ProblemError } from '../problem/problem';
import { AtTime } from '../store/at-time';
import type { Change } from '../store/change';

interface Parts {
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
  log: Logger;
}

/** Outputs locked out while somebody works at them: off above all else, with a name to it; not even their rules at the node go on. */
export class Lockouts {
  private readonly ends: AtTime<number>;

  constructor(private readonly parts: Parts) {
    this.ends = new AtTime(parts.log, 'a lock could not be taken off; it is tried again');
  }

  /** What was locked when the server ended is locked on, or let go where its time is over. */
  load(): void {
    for (const point of this.parts.registry.points.values()) this.endInTime(point);
  }

  stop(): void {
    this.ends.stop();
  }

  /** Locks it: off at once, past its minimum time on. `minutes` `null`: until somebody takes the lock off. Throws 409 where another holds it. */
  async lock(id: number, { reason, minutes }: { reason: string; minutes: number | null }, by: string): Promise<Relay> {
    const { engine } = this.parts;
    const output = this.find(id);
    // In turn with all that switches it, and with whoever locks it in the same moment.
    await engine.work(async () => {
      const { lock: before } = output;
      if (before && before.by !== by) throw new ProblemError(409, 'Locked out', `${before.by} has locked it already: ${before.reason}.`);
      const draft = await engine.draft();
      const now = engine.now();
      const lock: Lock = { by, reason, since: before?.since ?? now, until: minutes === null ? null : now + minutes * 60_000 };
      const span = minutes === null ? 'until the lock is taken off' : `for ${formatDuration(minutes * 60_000)}`;
      const effects: Effect[] = [
        { kind: 'end-demands', output, at: now, why: `locked out: ${by}` },
        { kind: 'command', output, on: false, reason: 'hand', at: now },
      ];
      await engine.transact(draft, now, async (change) => {
        await this.write(change, output, lock, `${output.name} locked out by ${by} ${span}: ${reason}`);
        return { value: undefined, effects };
      });
    });
    this.endInTime(output);
    return this.view(output);
  }

  /** Takes the lock off. Throws 403 where it is another's and `by` is no maker, 404 where there is none. */
  async unlock(id: number, by: string, maker: boolean): Promise<Relay> {
    const output = this.find(id);
    const { lock } = output;
    if (!lock) throw notFound(`lock on output ${id}`);
    if (lock.by !== by && !maker)
      throw new ProblemError(403, 'Another’s lock', `${lock.by} has locked it: only ${lock.by} or a maker takes that off.`);
    await this.release(output, `the lock on ${output.name} is taken off by ${by}`);
    return this.view(output);
  }

  private view(output: PointEntry): Relay {
    return this.parts.engine.relayView(output, this.parts.engine.now());
  }

  private find(id: number): PointEntry {
    const output = this.parts.registry.points.get(id);
    if (!output?.body.output) throw notFound(`output ${id}`);
    return output;
  }

  private endInTime(output: PointEntry): void {
    const until = output.lock?.until ?? null;
    if (until === null) this.ends.clear(output.id);
    else this.ends.set(output.id, until, () => this.release(output, `the lock on ${output.name} is over: its time is up`));
  }

  /** Rules that switch it are judged anew: nothing starts in the moment a lock goes, and what still stands trips by its own delay. */
  private async release(output: PointEntry, words: string): Promise<void> {
    const { registry, engine } = this.parts;
    const rules = registry.thresholdsSwitching(output.id).map(({ id }) => id);
    const why = 'its output is no longer locked out';
    // What was asked for while it was locked is not done now.
    const ended: Effect = { kind: 'end-demands', output, at: engine.now(), why };
    await engine.changeThresholds(rules, why, (change) => this.write(change, output, null, words), { besides: [ended] });
    this.endInTime(output);
  }

  private async write(change: Change, output: PointEntry, lock: Lock | null, words: string): Promise<void> {
    const { registry, engine, nodes, hub } = this.parts;
    await change
      .trx('point')
      .where({ id: output.id })
      .update({
        locked_by: lock?.by ?? null,
        locked_at: lock ? new Date(lock.since) : null,
        locked_until: lock?.until ? new Date(lock.until) : null,
        lock_reason: lock?.reason ?? null,
      });
    change.apply(() => (output.lock = lock));
    // A node that follows rules of its own for it is told which are left, or are back; that is logged with it.
    const followed = registry.thresholdsSwitching(output.id).some(({ point }) => point.node === output.node);
    if (followed) await nodes.changed(change, output.node, words);
    else await writeNodeLog(change.trx, [{ node: output.node, level: 'warning', text: words }]);
    change.tell(() => hub.publish([{ type: 'relay', relay: engine.relayView(output, engine.now()) }]));
  }
}
