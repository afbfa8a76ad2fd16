import type { Follower, NewFollower } from '@dewpost/contract';
import { followedState, freshForMs, inAlarm, isToBeShown, othersNamed, SHOWN_FOR_MS, type FollowedState } from '@dewpost/core/alarm';
import { MOST_SHOWN_LETTERS, type LampColour, type ShowMessage } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { randomUUID } from 'node:crypto';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { inOwnWords } from '../engine/own-words';
import { Ticker } from '../engine/ticker';
import type { ThresholdEntry } from '../model/entries';
import type { HouseEvents } from '../model/house-events';
import { nodeNamed } from '../model/lookup';
import { intervalSeconds } from '../model/periods';
import type { Registry } from '../model/registry';
import { notFound, ProblemError } from '../problem/problem';
import type { Store } from '../store/change';

type Look = NewFollower['beyond'];
interface Row {
  id: number;
  node: string;
  threshold_id: number;
  beyond: Look;
  otherwise: Look;
  made_by: string;
}
interface Last {
  readonly shown: string;
  readonly sentAt: number;
  readonly order: string;
  readonly look: { light: LampColour; text: string };
  confirmedAt: number | null;
}

const LOOK_EVERY_MS = 1000;

/** Lamps and displays that follow a rule: told what to show whenever that changes, and again before its time is over. */
export class Followers {
  private readonly entries = new Map<number, Row>();
  private readonly last = new Map<number, Last>();
  private readonly ticker: Ticker;

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      engine: Engine;
      events: HouseEvents;
      log: Logger;
      send(node: string, message: ShowMessage): boolean;
    },
  ) {
    this.ticker = new Ticker(LOOK_EVERY_MS, parts.log);
    parts.events.on('hello', (node) => {
      // It has begun anew, and shows nothing.
      for (const { id } of [...this.entries.values()].filter((row) => row.node === node.name)) this.last.delete(id);
      this.look();
    });
    parts.events.on('readings', () => this.look());
    parts.events.on('said', ({ answer }) => {
      for (const last of this.last.values()) if (last.order === answer.id && answer.said) last.confirmedAt = Date.now();
    });
  }

  async load(): Promise<void> {
    const rows = (await this.parts
      .database('follower as f')
      .join('node as n', 'n.id', 'f.node_id')
      .orderBy('f.id')
      .select('f.*', 'n.name as node')) as Row[];
    for (const row of rows) this.entries.set(row.id, row);
  }

  start(): void {
    this.ticker.start(
      () => Promise.resolve(this.look()),
      () => undefined,
    );
  }
  stop(): void {
    this.ticker.stop();
  }

  list(): Follower[] {
    return [...this.entries.values()].map(({ id, node, threshold_id: threshold, beyond, otherwise, made_by: by }) => {
      const last = this.last.get(id);
      return { id, node, threshold, beyond, otherwise, by, shows: last?.look ?? null, confirmedAt: last?.confirmedAt ?? null };
    });
  }

  /** Throws 404 for a node or a rule that is not there, 422 for one without lamp or display, 409 where it follows another rule. */
  async add({ node: name, threshold, beyond, otherwise }: NewFollower, by: string): Promise<Follower[]> {
    const { store, registry } = this.parts;
    const node = nodeNamed(registry, name);
    if (!registry.thresholds.has(threshold)) throw notFound(`threshold ${threshold} in force`);
    const says = node.hello?.says ?? [];
    if (!says.includes('light') && !says.includes('text'))
      refuse(422, 'node', `${node.title} has not said that it has a lamp or a display.`);
    for (const [field, look] of Object.entries({ beyond, otherwise }))
      for (const other of othersNamed(look.text))
        if (!registry.nodes.get(other.node)?.points.has(other.point))
          refuse(422, field, `There is no point ${other.point} at ${other.node}.`);
    if ([...this.entries.values()].some((row) => row.node === name))
      refuse(409, 'node', `${node.title} follows another rule: take that away first.`);
    await store.commitInTurn('followers', async (change) => {
      const [row] = (await change
        .trx('follower')
        .insert({
          node_id: node.id,
          threshold_id: threshold,
          beyond: JSON.stringify(beyond),
          otherwise: JSON.stringify(otherwise),
          made_by: by,
        })
        .returning('*')) as Omit<Row, 'node'>[];
      if (!row) throw new Error('a follower was not written');
      change.apply(() => this.entries.set(row.id, { ...row, node: name }));
      change.tell(() => this.look());
    });
    return this.list();
  }

  async remove(id: number): Promise<Follower[]> {
    const row = this.entries.get(id);
    if (!row) throw notFound(`follower ${id}`);
    await this.parts.store.commitInTurn('followers', async (change) => {
      await change.trx('follower').where({ id }).delete();
      change.apply(() => {
        this.entries.delete(id);
        this.last.delete(id);
      });
      change.tell(() => this.parts.send(row.node, { id: randomUUID(), show: '', light: 'off', seconds: 1 }));
    });
    return this.list();
  }

  /** Tells each that is to show something else, or whose time is a third gone; one that is not connected is told by its next hello. */
  private look(): void {
    const now = Date.now();
    for (const row of this.entries.values()) {
      const look = this.lookOf(row, now);
      const shown = JSON.stringify(look);
      if (!isToBeShown(shown, this.last.get(row.id) ?? null, now)) continue;
      const order = randomUUID();
      if (this.parts.send(row.node, { id: order, show: look.text, light: look.light, seconds: SHOWN_FOR_MS / 1000 }))
        this.last.set(row.id, { shown, sentAt: now, order, look, confirmedAt: null });
    }
  }

  private lookOf({ threshold_id: id, beyond, otherwise }: Row, now: number): { light: LampColour; text: string } {
    const { registry, engine } = this.parts;
    const threshold = registry.thresholds.get(id);
    if (!threshold) return { light: 'off', text: '' };
    const state = this.stateOf(threshold, now);
    if (state === 'unknown') return { light: 'off', text: `${threshold.point.body.label}: not known`.slice(0, MOST_SHOWN_LETTERS) };
    const { light, text } = state === 'beyond' ? beyond : otherwise;
    const newest = (point: number) => engine.state.newest.get(point);
    const value = newest(threshold.point.id)?.value ?? 0;
    const words = inOwnWords(text || '{point} {value} {unit}', threshold, now, value, { registry, newest });
    return { light, text: words.trim().slice(0, MOST_SHOWN_LETTERS) };
  }

  private stateOf(threshold: ThresholdEntry, now: number): FollowedState {
    const { registry, engine } = this.parts;
    const { point } = threshold;
    const reading = engine.state.newest.get(point.id);
    const rule = engine.state.thresholds.get(threshold.id);
    const holds = point.body.confirm === 'hold';
    return followedState({
      inForce: true,
      armed: registry.armedAt(point),
      silent: point.node.silent,
      fresh: reading !== undefined && reading.quality !== 'bad' && (holds || now - reading.at < freshForMs(intervalSeconds(point))),
      inAlarm: rule !== undefined && inAlarm(rule),
    });
  }
}

function refuse(status: 409 | 422, field: string, message: string): never {
  throw new ProblemError(status, 'Cannot follow', message, [{ path: `body.${field}`, message }]);
}
