import type { Reader } from '@dewpost/contract';
import { pointNameSchema } from '@dewpost/core/wire';
import { timingSafeEqual } from 'node:crypto';
import type { Database } from '../database/connect';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { notFound, ProblemError } from '../problem/problem';
import type { Store } from '../store/change';
import { digestOf, randomToken } from '../vault/vault';
import { freeId } from './make-sources';

interface ReaderEntry {
  readonly id: number;
  readonly name: string;
  readonly account: string;
  readonly digest: Buffer;
  readonly points: ReadonlySet<number>;
  readonly madeBy: string;
  readonly madeAt: number;
}

/** Where the newest reading of a point is published for reading accounts. */
export const readerTopic = (point: PointEntry): string => `dp/out/${point.node.name}/${point.name}`;

/** Reading accounts: other screens and systems that listen at the broker to the points they were given, and to nothing else. */
export class Readers {
  private readonly byAccount = new Map<string, ReaderEntry>();
  /** How many accounts hear a point. */
  private readonly hearers = new Map<number, number>();

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      /** Publishes the newest reading of these anew, or takes away what was published of those nobody hears any more. */
      publish(points: readonly PointEntry[]): void;
      withdraw(topics: readonly string[]): void;
      disconnect(account: string): void;
      connected(account: string): number;
    },
  ) {}

  async load(): Promise<void> {
    const rows = (await this.parts.database('reader').orderBy('id')) as {
      id: number;
      name: string;
      account: string;
      password_digest: Buffer;
      made_by: string;
      made_at: Date;
    }[];
    const points = (await this.parts.database('reader_point').select('reader_id', 'point_id')) as { reader_id: number; point_id: number }[];
    for (const row of rows)
      this.put({
        id: row.id,
        name: row.name,
        account: row.account,
        digest: row.password_digest,
        madeBy: row.made_by,
        points: new Set(points.filter(({ reader_id }) => reader_id === row.id).map(({ point_id }) => point_id)),
        madeAt: row.made_at.getTime(),
      });
  }

  list(): Reader[] {
    return [...this.byAccount.values()].map(({ digest: _kept, points, ...reader }) => ({
      ...reader,
      points: [...points],
      connected: this.parts.connected(reader.account),
    }));
  }

  async add(
    wanted: { name: string; points: readonly (number | string)[] },
    by: string,
  ): Promise<{ id: number; account: string; password: string; topics: string[] }> {
    const points = [...new Set(wanted.points.map((point) => this.find(point)))];
    const password = randomToken();
    const entry = await this.parts.store.commitInTurn('new nodes', async (change) => {
      const nodes = (await change.trx('node').select('name')) as { name: string }[];
      const taken = new Set([...nodes.map(({ name }) => name), ...this.byAccount.keys()]);
      const account = freeId(wanted.name, taken);
      const [row] = (await change
        .trx('reader')
        .insert({ name: wanted.name, account, password_digest: digestOf(password), made_by: by })
        .returning(['id', 'made_at'])) as { id: number; made_at: Date }[];
      if (!row) throw new Error('a reading account was not written');
      await change.trx('reader_point').insert(points.map((point) => ({ reader_id: row.id, point_id: point.id })));
      const made: ReaderEntry = {
        id: row.id,
        name: wanted.name,
        account,
        digest: digestOf(password),
        madeBy: by,
        madeAt: row.made_at.getTime(),
        points: new Set(points.map(({ id }) => id)),
      };
      change.apply(() => this.put(made));
      change.tell(() => this.parts.publish(points));
      return made;
    });
    return { id: entry.id, account: entry.account, password, topics: points.map(readerTopic) };
  }

  async remove(id: number): Promise<void> {
    const entry = [...this.byAccount.values()].find((reader) => reader.id === id);
    if (!entry) throw notFound(`reading account ${id}`);
    await this.parts.store.commit(async (change) => {
      await change.trx('reader').where({ id }).delete();
      change.apply(() => this.drop(entry));
      change.tell(() => this.parts.disconnect(entry.account));
    });
  }

  /** Whose account this is, by its password; `null` where there is none, or the password is another. */
  authenticate(account: string, password: string): boolean | null {
    const entry = this.byAccount.get(account);
    return entry ? timingSafeEqual(entry.digest, digestOf(password)) : null;
  }

  has(account: string): boolean {
    return this.byAccount.has(account);
  }

  /** Does anybody hear this point? */
  isHeard(point: PointEntry): boolean {
    return this.hearers.has(point.id);
  }

  heardPoints(): PointEntry[] {
    return [...this.hearers.keys()].flatMap((id) => this.parts.registry.points.get(id) ?? []);
  }

  /** May this account hear what is published there? */
  mayHear(account: string, topic: string): boolean {
    const [root, out, node = '', point = '', ...rest] = topic.split('/');
    if (root !== 'dp' || out !== 'out' || rest.length > 0) return false;
    const entry = this.parts.registry.nodes.get(node)?.points.get(point);
    return entry !== undefined && (this.byAccount.get(account)?.points.has(entry.id) ?? false);
  }

  private find(point: number | string): PointEntry {
    if (typeof point === 'number') {
      const found = this.parts.registry.points.get(point);
      if (found) return found;
    } else {
      const [node = '', name = ''] = point.split('/');
      const found = pointNameSchema.safeParse(name).success ? this.parts.registry.nodes.get(node)?.points.get(name) : undefined;
      if (found) return found;
    }
    const message = `There is no point ${point}: name it as node/point, or by its number.`;
    throw new ProblemError(422, 'Cannot be used', message, [{ path: 'body.points', message }]);
  }

  private put(entry: ReaderEntry): void {
    this.byAccount.set(entry.account, entry);
    for (const id of entry.points) this.hearers.set(id, (this.hearers.get(id) ?? 0) + 1);
  }

  private drop(entry: ReaderEntry): void {
    this.byAccount.delete(entry.account);
    const unheard: string[] = [];
    for (const id of entry.points) {
      const left = (this.hearers.get(id) ?? 1) - 1;
      if (left > 0) this.hearers.set(id, left);
      else {
        this.hearers.delete(id);
        const point = this.parts.registry.points.get(id);
        if (point) unheard.push(readerTopic(point));
      }
    }
    this.parts.withdraw(unheard);
  }
}
