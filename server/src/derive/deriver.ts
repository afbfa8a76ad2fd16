import { windowBegin, type Formula } from '@dewpost/core/derive';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { computePage, storeComputed, type Made } from './compute';
import { isComputable, type ComputedEntry } from './entries';
import { midnightsOf } from '@dewpost/core/time';

/** What came together is computed together: nobody sees a fifth of a second, and each pass over a point is three statements. */
const TOGETHER_MS = 200;
const AGAIN_MS = 5000;
const DAY_MS = 86_400_000;
/** The longest day of a site: the clock is set back in it. */
const LONGEST_DAY_MS = 25 * 3_600_000;
/** What is newer than this and than all before arrives like any reading: rules are judged on it, and pages are told. */
const LIVE_MS = 600_000;
const OLDEST_LIVE_MS = 29 * DAY_MS;

export interface DeriverParts {
  database: Database;
  registry: Registry;
  log: Logger;
  /** Hands in readings as a node that sent them. */
  hear(node: NodeEntry, records: readonly { n: string; t: number; v: number }[]): Promise<unknown>;
  /** Much of the record is due to be rolled up. */
  changed(): void;
}

interface Span {
  from: number;
  to: number;
}

/** Computes points behind intake: what came just now first, then what is to be computed anew, a page at a time; cut off, it goes on where it was. */
export class Deriver {
  private readonly dirty = new Map<ComputedEntry, Span>();
  private readonly byInput = new Map<number, Set<ComputedEntry>>();
  private readonly entries = new Set<ComputedEntry>();
  private timer: NodeJS.Timeout | null = null;
  private running: Promise<void> = Promise.resolve();
  private stopping = false;

  constructor(private readonly parts: DeriverParts) {}

  /** Another entry, or one whose inputs have changed. */
  put(entry: ComputedEntry): void {
    this.drop(entry);
    this.entries.add(entry);
    for (const { id } of entry.inputs) this.byInput.set(id, (this.byInput.get(id) ?? new Set()).add(entry));
    if (entry.anewFrom !== null) this.soon();
  }
  /** An entry is to be computed anew, from its mark on; what just came to it stays due as well. */
  owes(): void {
    this.soon();
  }
  drop(entry: ComputedEntry): void {
    this.entries.delete(entry);
    this.dirty.delete(entry);
    for (const of of this.byInput.values()) of.delete(entry);
  }

  /** Readings were committed, or changed: whatever is computed from them follows. Times in ms. */
  heard(readings: readonly { readonly point: { readonly id: number }; readonly at: number }[]): void {
    for (const { point, at } of readings)
      for (const entry of this.byInput.get(point.id) ?? []) {
        const known = this.dirty.get(entry);
        const to = at + this.reachOf(entry, point.id);
        this.dirty.set(entry, { from: Math.min(known?.from ?? at, at), to: Math.max(known?.to ?? to, to) });
      }
    if (this.dirty.size > 0) this.soon();
  }

  /** At a start: what came while nobody computed, a day and an hour back. */
  catchUp(now: number): void {
    for (const entry of this.entries) this.dirty.set(entry, { from: now - LONGEST_DAY_MS, to: Infinity });
    this.soon();
  }

  async stop(): Promise<void> {
    this.stopping = true;
    if (this.timer) clearTimeout(this.timer);
    await this.running;
  }

  /** How much later than a reading it still counts, ms. */
  private reachOf({ formula, parameters, toleranceMs, inputs }: ComputedEntry, point: number): number {
    if (!formula) return 0;
    // What holds until it changes may be the value of any later moment.
    const held = inputs.slice(1).some(({ id, body }) => id === point && body.confirm === 'hold');
    if (held) return Infinity;
    const window = formula.window.kind === 'day' ? LONGEST_DAY_MS : -windowBegin(formula, parameters, 0, () => 0);
    return Math.max(window, inputs.length > 1 ? toleranceMs : 0);
  }

  private soon(ms = TOGETHER_MS): void {
    if (this.stopping || this.timer) return;
    this.timer = setTimeout(() => {
      this.timer = null;
      this.running = this.run();
    }, ms);
    this.timer.unref();
  }

  private async run(): Promise<void> {
    try {
      while (!this.stopping && (await this.step()));
    } catch (error) {
      this.parts.log.error({ err: error }, 'points could not be computed; it is tried again');
      this.soon(AGAIN_MS);
    }
  }

  /** One piece of work; gives whether there may be more. */
  private async step(): Promise<boolean> {
    const [live] = this.dirty;
    if (live) {
      const [entry, span] = live;
      this.dirty.delete(entry);
      try {
        await this.bringUp(entry, span);
      } catch (error) {
        // Owed still, with whatever came meanwhile.
        const known = this.dirty.get(entry);
        this.dirty.set(entry, { from: Math.min(known?.from ?? span.from, span.from), to: Math.max(known?.to ?? span.to, span.to) });
        throw error;
      }
      return true;
    }
    const owed = [...this.entries].find((entry) => entry.anewFrom !== null && isComputable(entry));
    if (!owed || owed.anewFrom === null) return false;
    const { version, anewFrom: begun } = owed;
    const upTo = await this.page(owed, { from: begun, to: Infinity });
    const next = upTo === null ? null : upTo + 1;
    // Another version, or another change further back, has set the mark meanwhile: it stays, and is gone by next.
    const moved = await this.parts
      .database('computed')
      .where({ point_id: owed.point.id, version, anew_from: new Date(begun) })
      .update({ anew_from: next === null ? null : new Date(next) });
    if (moved === 0 || owed.anewFrom !== begun) return true;
    owed.anewFrom = next;
    if (next === null) this.parts.changed();
    return true;
  }

  private async bringUp(entry: ComputedEntry, span: Span): Promise<void> {
    for (let from = span.from; ;) {
      const upTo = await this.page(entry, { from, to: span.to });
      if (upTo === null || this.stopping) return;
      from = upTo + 1;
    }
  }

  /** Computes and stores one page; gives up to where, `null`: to the end. */
  private async page(entry: ComputedEntry, { from, to }: Span): Promise<number | null> {
    if (!isComputable(entry)) return null;
    const { database, registry } = this.parts;
    const now = Date.now();
    // Nothing is put back into months that have gone.
    const [begin, end] = [Math.max(from, registry.rawFrom, 0), Math.min(to, now + DAY_MS)];
    const { made, upTo, done } = await computePage(database, entry, begin, end, midnightsOf(registry.timezone));
    const { kept, live } = await this.split(entry, made, done, now);
    await storeComputed(database, entry.point.id, { made: kept, from: begin, to: upTo });
    if (live.length > 0)
      await this.parts.hear(
        entry.point.node,
        live.map(({ at, value }) => ({ n: entry.point.name, t: at / 1000, v: value })),
      );
    // What is computed from this one follows what was stored past intake; what arrives tells of itself.
    this.heard(kept.map(({ at }) => ({ point: entry.point, at })));
    return done ? null : upTo;
  }

  /** What arrives like any reading: good, newer than all that is stored of it, and of just now, or at the end of all the newest alone. */
  private async split(
    entry: ComputedEntry & { formula: Formula },
    made: readonly Made[],
    done: boolean,
    now: number,
  ): Promise<{ kept: Made[]; live: Made[] }> {
    const newest = (await this.parts.database('reading').where({ point_id: entry.point.id }).max('at as at').first()) as {
      at: Date | null;
    };
    const known = newest.at?.getTime() ?? -Infinity;
    const last = made.at(-1);
    const isLive = (one: Made): boolean =>
      one.quality === 0 &&
      one.at > known &&
      one.at <= now &&
      (one.at > now - LIVE_MS || (done && one === last && one.at > now - OLDEST_LIVE_MS));
    return { kept: made.filter((one) => !isLive(one)), live: made.filter(isLive) };
  }
}
