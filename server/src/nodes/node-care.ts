import type { Judging, Point } from '@dewpost/contract';
import { switchedBy } from '@dewpost/core/alarm';
import type { Database } from '../database/connect';
import { nodeKey, thresholdKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import type { HouseEvents } from '../model/house-events';
import { changeNode, laneOf } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import { nodeView, pointView } from '../model/views';
import type { NodeEntry, PointEntry } from '../model/entries';
import { judgingOf } from '../model/own-body';
import type { Registry } from '../model/registry';
import { ProblemError } from '../problem/problem';
import type { Store } from '../store/change';
import { digestOf, randomToken } from '../vault/vault';
import { ensureRoom } from './make-nodes';
import type { Nodes } from './nodes';

interface Parts {
  store: Store;
  database: Database;
  registry: Registry;
  engine: Engine;
  nodes: Nodes;
  hub: Hub;
  events: HouseEvents;
}

/** What a node goes through in its years: another name, another room, words of its own for a point, and its end. */
export class NodeCare {
  constructor(private readonly parts: Parts) {}

  /** Renames a node, moves it to another room, or both. Its id, key and history stay. */
  change(node: NodeEntry, wanted: { name?: string; room?: string }, by: string): Promise<void> {
    const { store } = this.parts;
    return store.commitInTurn(laneOf(node), async (change) => {
      const said: string[] = [];
      if (wanted.name !== undefined && wanted.name !== node.title) {
        await changeNode(change, node, { title: wanted.name }, { title: wanted.name });
        said.push(`called “${wanted.name}”, “${node.title}” before`);
      }
      if (wanted.room !== undefined && wanted.room !== node.room) {
        const id = await ensureRoom(change.trx, wanted.room);
        const room = (await change.trx('room').where({ id }).first('name', 'slug')) as { name: string; slug: string } | undefined;
        if (!room) throw new Error(`room ${id} was made and cannot be read`);
        await changeNode(change, node, { room_id: id }, { room: room.name, roomSlug: room.slug });
        said.push(`moved from ${node.room} to ${room.name}`);
      }
      if (said.length === 0) return;
      await writeNodeLog(change.trx, [{ node, level: 'info', text: `${said.join('; ')}, by ${by}` }]);
      // With its points: a dashboard that builds itself has them by room.
      change.tell(() => this.tellWhole(node));
    });
  }

  private tellWhole(node: NodeEntry): void {
    this.parts.hub.publish([{ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) }]);
  }

  /** Calls a point by words of this node's own, or as its sheet does. Throws 409 where another point of the room carries them. */
  async label(point: PointEntry, label: string | null, by: string): Promise<Point> {
    const { store, registry } = this.parts;
    const { node } = point;
    const words = label ?? point.sheetLabel;
    await store.commitInTurn(laneOf(node), async (change) => {
      const same = [...registry.points.values()].find(
        (other) => other !== point && other.node.room === node.room && other.body.label.toLowerCase() === words.toLowerCase(),
      );
      if (label !== null && same)
        throw new ProblemError(
          409,
          'Words taken',
          `${same.node.title} calls its ${same.name} “${words}” in the same room: who looks on could not tell them apart. Say what is different.`,
        );
      if (words === point.body.label) return;
      await change.trx('point').where({ id: point.id }).update({ label });
      const text = `${point.name} is called “${words}”, “${point.body.label}” before, by ${by}`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      change.apply(() => (point.body = { ...point.body, label: words }));
      change.tell(() => this.tellWhole(node));
    });
    return pointView(point);
  }

  /** Has its readings judged by figures of its own from now on, or as its sheet says. What was judged before stays so. */
  async judge(point: PointEntry, judging: Judging | null, by: string): Promise<Point> {
    const { store, registry, nodes } = this.parts;
    const { node } = point;
    if (point.body.kind !== 'measured' || node.kind === 'computed')
      throw new ProblemError(
        409,
        'Not measured',
        `${point.body.label} is ${node.kind === 'computed' ? 'computed' : point.body.kind}: what it comes from is judged.`,
      );
    await store.commitInTurn(laneOf(node), async (change) => {
      await change
        .trx('point')
        .where({ id: point.id })
        .update({ judging: judging && JSON.stringify(judging) });
      const text = `${point.name} is judged ${judging === null ? 'as its sheet says' : `by figures of its own: ${judgingWords(judging)}`}, by ${by}`;
      // What it follows alone while its link is down it judges by the same figures.
      if (registry.hasOwnThresholds(node)) await nodes.changed(change, node, text);
      else await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      change.apply(() => {
        const ofSheet = point.sheetJudging ?? judgingOf(point.body);
        point.body = { ...point.body, ...(judging ?? ofSheet) };
        point.sheetJudging = judging === null ? null : ofSheet;
      });
      change.tell(() => this.tellWhole(node));
    });
    return pointView(point);
  }

  /**
   * Retires a node: outputs go off, thresholds stand down, alerts close, its key is dead and its address free; readings and records stay.
   * Throws 409 where something else still hangs on it, saying what.
   */
  async retire(node: NodeEntry, by: string): Promise<void> {
    const { engine, registry, hub, events } = this.parts;
    const points = [...node.points.values()];
    const own = points.flatMap((point) => registry.thresholdsByPoint.get(point.id) ?? []);
    this.refuseWhatHangsOnIt(node, points);
    const why = 'node retired';
    const at = engine.now();
    const effects: Effect[] = own.flatMap(({ id, rule }): Effect[] => {
      const ended = switchedBy(rule).flatMap(({ output: switched }): Effect[] => {
        const output = registry.points.get(switched);
        return output ? [{ kind: 'end-demand', output, source: 'threshold', threshold: id, at, why }] : [];
      });
      return [{ kind: 'close-alert', key: thresholdKey(id), at, why }, ...ended];
    });
    for (const kind of [
      'silent',
      'sensor-lost',
      'output-stuck',
      'battery-low',
      'no-read-back',
      'on-backup',
      'access-point',
      'guard-ended',
    ] as const)
      for (const point of [null, ...points]) effects.push({ kind: 'close-alert', key: nodeKey(kind, node, point), at, why });
    await engine.release(
      node,
      why,
      async (change) => {
        const writing = (await change.trx('provision_run').where({ node_id: node.id, result: 'running' }).first('id')) as unknown;
        if (writing)
          throw new ProblemError(409, 'Being written', `${node.title} is being written at the bench: let that end first, or stop it.`);
        const ids = points.map(({ id }) => id);
        await change.trx('threshold').whereIn('point_id', ids).whereNull('retired_at').update({ retired_at: new Date() });
        await change.trx('reader_point').whereIn('point_id', ids).delete();
        await change.trx('adopted_filter').where({ node_id: node.id }).delete();
        await change
          .trx('node')
          .where({ id: node.id })
          .update({
            retired_at: new Date(),
            address: null,
            gateway_id: null,
            offered_firmware: null,
            hardware_id: null,
            key_digest: digestOf(randomToken()),
            old_key_digest: null,
            key_sealed: null,
            key_rotates: false,
          });
        await writeNodeLog(change.trx, [{ node, level: 'warning', text: `retired by ${by}: its history stays` }]);
        change.apply(() => registry.dropNode(node));
        change.tell(() =>
          hub.publish([
            ...own.map(({ id }) => ({ type: 'threshold-retired' as const, id })),
            { type: 'node-retired' as const, id: node.name, points: points.map(({ id }) => id) },
          ]),
        );
      },
      effects,
    );
    // After the offs that went out with the change.
    events.tell('retired', node);
    events.tell('keyRevoked', node);
  }

  private refuseWhatHangsOnIt(node: NodeEntry, points: readonly PointEntry[]): void {
    const { registry } = this.parts;
    const switching = points
      .flatMap((point) => registry.thresholdsSwitching(point.id).map((threshold) => ({ point, threshold })))
      .find(({ threshold }) => threshold.point.node !== node);
    if (switching)
      throw new ProblemError(
        409,
        'Still switched',
        `A threshold on ${switching.threshold.point.body.label} of ${switching.threshold.point.node.title} switches its ${switching.point.body.label}: change that first, so that nobody relies on what is gone.`,
      );
    const needed = points
      .flatMap((point) => registry.thresholdsWith(point.id).map((threshold) => ({ point, threshold })))
      .find(({ threshold }) => threshold.point.node !== node);
    if (needed)
      throw new ProblemError(
        409,
        'Still judged by',
        `A rule on ${needed.threshold.point.body.label} of ${needed.threshold.point.node.title} needs its ${needed.point.body.label}: change that first, or it is judged no longer.`,
      );
    const leaf = [...registry.nodes.values()].find((other) => other.gateway === node.name);
    if (leaf) throw new ProblemError(409, 'A gateway', `${leaf.title} reaches the site through it: give it another gateway first.`);
    if (node.offeredFirmware !== null)
      throw new ProblemError(409, 'On its way', `${node.title} is being told another image: halt that rollout first.`);
  }
}

/** What readings are judged by, in words. */
function judgingWords({ physicalMin, physicalMax, spikeStep, spikeWindow, stuckAfterSeconds, restsAt }: Judging): string {
  return [
    `${physicalMin} to ${physicalMax}`,
    spikeStep === null ? 'no jump doubted' : `jumps above ${spikeStep}`,
    spikeWindow === null ? 'not held against its noise' : `held against ${spikeWindow} before`,
    stuckAfterSeconds === null ? 'may stand still' : `stuck after ${stuckAfterSeconds / 3600} h`,
    ...(restsAt === null ? [] : [`may rest at ${restsAt}`]),
  ].join(', ');
}
