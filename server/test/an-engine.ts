import type { Client, QueryConfig } from 'pg';
import { pino } from 'pino';
import type { Database } from '../src/database/connect';
import { Engine } from '../src/engine/engine';
import { ShelfBook } from '../src/engine/shelf';
import { Events } from '../src/events/events';
import type { Hub } from '../src/events/hub';
import type { HouseEvents } from '../src/model/house-events';
import type { OutboxItem } from '../src/outbox/items';
import type { Outbox } from '../src/outbox/outbox';
import { Marks } from '../src/record/marks';
import { Registry } from '../src/model/registry';
import { RoutePlans } from '../src/ways/route-plans';
import { Store } from '../src/store/change';
import { type House } from './house';

const log = pino({ level: 'silent' });

/** An engine of its own beside the server's, on the same tables, for nodes that the server never hears of. */
export async function anEngine(house: House, shard: number) {
  const registry = new Registry('taken as done');
  await registry.load(house.database);
  const told: string[] = [];
  /** The answer to the next commit is lost on the way: the database has it, and nobody here knows. */
  const line = { losesAnswer: false, statements: [] as string[] };
  const answer = (result: unknown): unknown => {
    if (!line.losesAnswer) return result;
    line.losesAnswer = false;
    throw new Error('Connection terminated unexpectedly');
  };
  const pool = house.database.client as { acquireConnection(): Promise<unknown>; releaseConnection(connection: Client): Promise<void> };
  const lossy: Record<string, unknown> = {
    transaction: async (run: Parameters<Database['transaction']>[0]) => answer(await house.database.transaction(run)),
    // Statements that are transactions of their own go straight to a connection.
    client: {
      acquireConnection: async () => {
        const connection = (await pool.acquireConnection()) as Client;
        const query = async (asked: QueryConfig): Promise<unknown> => {
          line.statements.push(asked.text);
          return answer(await connection.query(asked));
        };
        return { query, connection };
      },
      releaseConnection: ({ connection }: { connection: Client }) => pool.releaseConnection(connection),
    },
  };
  const database = new Proxy(house.database, {
    get: (target, key) => lossy[String(key)] ?? (Reflect.get(target, key) as unknown),
  });
  const store = new Store(database, log);
  /** Both its clocks stand still until a test moves them. */
  const time = { wall: Date.now(), steady: 0 };
  /** So much time passes, and the clock is set by so much; then time is looked at. */
  const tick = (ms: number, step = 0): Promise<void> => {
    time.wall += ms + step;
    time.steady += ms;
    return engine.work(() => engine.tick());
  };
  const events: HouseEvents = new Events(log);
  const engine: Engine = new Engine({
    store,
    clock: { wall: () => time.wall, steady: () => time.steady },
    registry,
    hub: { publish: (events: { type: string }[]) => void told.push(...events.map((event) => event.type)) } as unknown as Hub,
    outbox: { dispatch: (items: readonly OutboxItem[]) => void told.push(...items.map((item) => item.kind)) } as unknown as Outbox,
    events,
    log,
    shard,
    tickMs: 1000,
    handsetUrl: 'http://127.0.0.1:1/',
    ways: () => [],
    routes: new RoutePlans({ store, database: house.database, ways: () => [], handset: true, zone: () => 'UTC', changed: () => undefined }),
    shelves: new ShelfBook(),
  });
  await engine.load();
  const parts = {
    database: house.database,
    registry,
    engine,
    events,
    log,
    note: () => undefined,
    marks: new Marks(),
    forwarded: () => null,
    judgeFirst: () => Promise.resolve(false),
  };
  return { engine, registry, parts, told, store, line, time, tick };
}
