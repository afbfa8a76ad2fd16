import type { Point } from '@dewpost/contract';
import type { Logger } from 'pino';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import { writeNodeLog } from '../model/node-log';
import { nodeView, pointView } from '../model/views';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import type { Change } from '../store/change';

interface Parts {
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
  log: Logger;
}

/** Rules held while somebody works at a point: a probe that is taken out of its bed is not dry soil. Always with an end. */
export class Holds {
  private readonly timers = new Map<number, NodeJS.Timeout>();

  constructor(private readonly parts: Parts) {}

  /** What was held when the server ended is held on, or goes on where its time is over. */
  load(): void {
    for (const point of this.parts.registry.points.values()) if (point.heldUntil !== null) this.endAt(point, point.heldUntil);
  }

  stop(): void {
    for (const timer of this.timers.values()) clearTimeout(timer);
  }

  /** Holds them for so many minutes: alerts of its rules close, what they switched goes off. Held again, the later end counts. */
  async hold(point: PointEntry, minutes: number, by: string): Promise<Point> {
    const until = Date.now() + minutes * 60_000;
    await this.change(point, until, `held for ${minutes} min by ${by}: somebody works at ${point.name}`);
    this.endAt(point, until);
    return pointView(point);
  }

  /** Lets them go on: judged from the next reading on, as if they had just been set. */
  async letGo(point: PointEntry, by: string): Promise<Point> {
    // The end that is set stands until they do go on: a failure must not leave them held for good.
    if (point.heldUntil !== null) await this.change(point, null, `rules of ${point.name} go on, by ${by}`);
    clearTimeout(this.timers.get(point.id));
    this.timers.delete(point.id);
    return pointView(point);
  }

  private endAt(point: PointEntry, until: number): void {
    clearTimeout(this.timers.get(point.id));
    const timer = setTimeout(
      () =>
        void this.letGo(point, 'the end of its time').catch((error: unknown) => {
          // Rules that stay held would be silent for good: it is tried until it is done.
          this.parts.log.error({ err: error, point: point.name }, 'held rules could not be let go; it is tried again');
          this.endAt(point, Date.now() + RETRY_MS);
        }),
      Math.max(0, until - Date.now()),
    );
    timer.unref();
    this.timers.set(point.id, timer);
  }

  private async change(point: PointEntry, until: number | null, words: string): Promise<void> {
    const { engine, registry, nodes, hub } = this.parts;
    const rules = [...new Set(registry.restingOn(point).flatMap(({ id }) => registry.thresholdsWith(id)))];
    await engine.changeThresholds(
      rules.map(({ id }) => id),
      until === null ? 'its rules go on' : 'held: somebody works at it',
      async (change: Change) => {
        await change
          .trx('point')
          .where({ id: point.id })
          .update({ held_until: until === null ? null : new Date(until) });
        change.apply(() => (point.heldUntil = until));
        // A node hears how often it reports while somebody works at it, and which of its own rules are left; that is logged with it.
        if (point.node.kind === 'node') await nodes.changed(change, point.node, words);
        else await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text: words }]);
        change.tell(() =>
          hub.publish([{ type: 'node', node: nodeView(point.node), points: [...point.node.points.values()].map(pointView) }]),
        );
      },
    );
  }
}

const RETRY_MS = 10_000;
