import type { Forward, NewForward } from '@dewpost/contract';
import type { Database } from '../database/connect';
import type { Part } from '../engine/parts';
import { uncalibrated } from '../model/views';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import type { Store } from '../store/change';
import type { Vault } from '../vault/vault';
import { entryOf, partsOf, viewOf, writePoints, type ForwardEntry, type ForwardRow } from './entries';

const LANE = 'forwards';

interface Reading {
  readonly point: PointEntry;
  readonly at: number;
  readonly value: number;
  readonly quality: 'good' | 'suspect' | 'bad';
}

/** Where readings are forwarded to: made, changed, paused, taken away; and what of a batch of readings is to wait for whom. */
export class Forwards {
  readonly entries = new Map<number, ForwardEntry>();
  private readonly byPoint = new Map<number, ForwardEntry[]>();

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      vault: Vault;
      /** An entry is new, or another: whoever sends for it begins anew. `null`: it is gone. */
      changed(id: number, entry: ForwardEntry | null): void;
    },
  ) {}

  async load(): Promise<void> {
    const { database } = this.parts;
    const points = (await database('forward_point').orderBy(['forward_id', 'place'])) as { forward_id: number; point_id: number }[];
    for (const row of (await database('forward').orderBy('id')) as ForwardRow[])
      this.put(
        entryOf(
          row,
          points.filter(({ forward_id }) => forward_id === row.id).map(({ point_id }) => point_id),
        ),
      );
  }

  async list(): Promise<Forward[]> {
    const rows = (await this.parts.database('forward_item').groupBy('forward_id').select('forward_id').count('* as waiting')) as {
      forward_id: number;
      waiting: string;
    }[];
    const waiting = new Map(rows.map((row) => [row.forward_id, Number(row.waiting)]));
    return [...this.entries.values()].map((entry) => viewOf(entry, this.parts.registry, waiting.get(entry.id) ?? 0));
  }

  /** What of these readings is to wait for somebody, as a part of the statement that stores them; `null`: nothing. Bad ones and trials never go. */
  part(readings: readonly Reading[], now: number): Part | null {
    if (this.byPoint.size === 0) return null;
    const rows = readings.flatMap(({ point, at, value, quality }) => {
      const { liveSince } = point.node;
      if (quality === 'bad' || uncalibrated(point) || (liveSince !== null && at < liveSince)) return [];
      return (this.byPoint.get(point.id) ?? [])
        .filter(({ settings }) => now - at < settings.keepHours * 3_600_000)
        .map(({ id }) => ({ forward: id, point: point.id, at, value, suspect: quality === 'suspect' }));
    });
    if (rows.length === 0) return null;
    return {
      name: 'forward_waits',
      // One that was taken away a moment ago is passed over.
      sql: `insert into forward_item (forward_id, point_id, at, value, suspect)
        select t.forward, t.point, to_timestamp(t.at / 1000.0), t.value, t.suspect
        from json_to_recordset(cast(? as json)) as t(forward int, point int, at float8, value float8, suspect boolean, place int)
        where exists (select from forward f where f.id = t.forward) order by t.place`,
      bindings: [JSON.stringify(rows.map((row, place) => ({ ...row, place })))],
    };
  }

  async add(wanted: NewForward, by: string): Promise<Forward> {
    const points = this.pointsOf(wanted);
    const { settings, password } = partsOf(wanted);
    return this.parts.store.commitInTurn(LANE, async (change) => {
      const [row] = (await change
        .trx('forward')
        .insert({ settings: JSON.stringify(settings), secret_sealed: this.seal(password), made_by: by })
        .returning('*')) as ForwardRow[];
      if (!row) throw new Error('a forward was not written');
      await writePoints(change.trx, row.id, points);
      const entry = entryOf(
        row,
        points.map(({ id }) => id),
      );
      change.apply(() => this.put(entry));
      change.tell(() => this.parts.changed(entry.id, entry));
      return viewOf(entry, this.parts.registry, 0);
    });
  }

  /** Throws 409 where somebody else has changed it since. What waits goes the new way; of points that are left out nothing waits any more. */
  async change(id: number, from: number, wanted: NewForward): Promise<Forward> {
    const points = this.pointsOf(wanted);
    const { settings, password } = partsOf(wanted);
    await this.parts.store.commitInTurn(LANE, async (change) => {
      const before = this.find(id);
      if (before.version !== from)
        throw changedMeanwhile('forward', from, before.version, viewOf(before, this.parts.registry, await this.waiting(id)));
      const secret = password === undefined ? before.secretSealed : this.seal(password);
      const version = from + 1;
      await change
        .trx('forward')
        .where({ id })
        .update({ version, settings: JSON.stringify(settings), secret_sealed: secret });
      await writePoints(change.trx, id, points);
      const ids = points.map((point) => point.id);
      await change.trx('forward_item').where({ forward_id: id }).whereNotIn('point_id', ids).delete();
      change.apply(() => {
        this.drop(id);
        // The same entry: whoever sends for it still counts in it until it has ended.
        this.put(Object.assign(before, { version, settings, secretSealed: secret, points: ids, failure: null, failedAt: null }));
      });
      change.tell(() => this.parts.changed(id, before));
    });
    return this.view(id);
  }

  async pause(id: number, paused: boolean): Promise<Forward> {
    await this.parts.store.commitInTurn(LANE, async (change) => {
      const entry = this.find(id);
      await change.trx('forward').where({ id }).update({ paused });
      change.apply(() => (entry.paused = paused));
      change.tell(() => this.parts.changed(id, entry));
    });
    return this.view(id);
  }

  async remove(id: number): Promise<void> {
    await this.parts.store.commitInTurn(LANE, async (change) => {
      this.find(id);
      await change.trx('forward').where({ id }).delete();
      change.apply(() => this.drop(id));
      change.tell(() => this.parts.changed(id, null));
    });
  }

  /** Throws 404. */
  find(id: number): ForwardEntry {
    const entry = this.entries.get(id);
    if (!entry) throw notFound(`forward ${id}`);
    return entry;
  }

  /** Does anything wait for these? */
  concerns(readings: readonly { readonly point: { readonly id: number } }[]): boolean {
    return this.byPoint.size > 0 && readings.some(({ point }) => this.byPoint.has(point.id));
  }

  secretOf({ secretSealed }: ForwardEntry): string {
    return secretSealed === null ? '' : this.parts.vault.open(secretSealed);
  }

  private async view(id: number): Promise<Forward> {
    return viewOf(this.find(id), this.parts.registry, await this.waiting(id));
  }

  private async waiting(id: number): Promise<number> {
    const row = (await this.parts.database('forward_item').where({ forward_id: id }).count('* as waiting').first()) as { waiting: string };
    return Number(row.waiting);
  }

  private seal(password: string | undefined): string | null {
    return password === undefined || password === '' ? null : this.parts.vault.seal(password);
  }

  private pointsOf({ points }: NewForward): PointEntry[] {
    const { registry } = this.parts;
    return [...new Set(points)].map((wanted, i) => {
      const [node = '', name = ''] = String(wanted).split('/');
      const found = typeof wanted === 'number' ? registry.points.get(wanted) : registry.nodes.get(node)?.points.get(name);
      if (found?.body.output === null) return found;
      const message = found
        ? `${found.body.label} is an output: what it read back is not recorded as readings.`
        : `There is no point ${String(wanted).slice(0, 60)}.`;
      throw new ProblemError(422, 'Cannot be used', message, [{ path: `body.points.${i}`, message }]);
    });
  }

  private put(entry: ForwardEntry): void {
    this.drop(entry.id);
    this.entries.set(entry.id, entry);
    for (const point of entry.points) this.byPoint.set(point, [...(this.byPoint.get(point) ?? []), entry]);
  }

  private drop(id: number): void {
    this.entries.delete(id);
    for (const [point, entries] of this.byPoint) {
      const left = entries.filter((entry) => entry.id !== id);
      if (left.length === 0) this.byPoint.delete(point);
      else this.byPoint.set(point, left);
    }
  }
}
