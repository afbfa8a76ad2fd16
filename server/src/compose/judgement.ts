import { Engine } from '../engine/engine';
import { ShelfBook } from '../engine/shelf';
import type { NodeEntry } from '../model/entries';
import { Outbox } from '../outbox/outbox';
import { Habits } from '../record/habits';
import { Followers } from '../respond/followers';
import { Drills } from '../respond/drills/drills';
import { Standins } from '../respond/drills/standins';
import { loadInterlocks } from '../respond/interlocks';
import { loadOutputLimits } from '../respond/output-limits';
import { Shelves } from '../respond/shelves';
import { TripTests } from '../respond/trip-tests';
import { RoutePlans } from '../ways/route-plans';
import { HouseNews } from '../ways/house-news';
import { Announcer } from '../ways/announcer';
import { OpenPages } from '../ways/open-pages';
import { Ways } from '../ways/ways';
import type { Base } from './base';

const SHARD = 0;

/** What judges readings, and how it is heard: engine, outbox, ways, routes and shelves. */
export interface Judgement {
  readonly engine: Engine;
  readonly outbox: Outbox;
  readonly ways: Ways;
  readonly pages: OpenPages;
  readonly habits: Habits;
  readonly routePlans: RoutePlans;
  readonly shelves: Shelves;
  readonly tripTests: TripTests;
  readonly drills: Drills;
  readonly followers: Followers;
}

/** `settingsOf` gives what a node is told by `set`; `routesChanged` hears of another plan of routes. */
export async function raiseEngine(
  base: Base,
  { settingsOf, routesChanged }: { settingsOf: (node: NodeEntry) => object; routesChanged: () => void },
): Promise<Judgement> {
  const { config, log, database, store, vault, registry, hub, events, line } = base;
  const announcer = new Announcer({ registry, events, send: (node, message) => line.broker?.send(node, 'do', message) ?? false });
  const siteName = async (): Promise<string> => (await base.site()).name;
  const [origin] = config.publicOrigins;
  const link = origin === undefined ? null : `${origin}/respond/alerts`;
  const pages = new OpenPages({ publish: (events) => hub.publish(events) });
  const ways = new Ways({ store, database, vault, registry, announcer, pages, siteName, link, allowed: config.outgoingAllow });
  await ways.load();
  const handset = config.handsetUrl !== null;
  const zone = (): string => registry.timezone;
  const routePlans = new RoutePlans({ store, database, ways: ways.rules, handset, zone, changed: routesChanged });
  await routePlans.load();
  const outbox = new Outbox({
    ...{ database, log, handsetUrl: config.handsetUrl },
    sendByWay: (way, message) => ways.deliver(way, message),
    sendCommand: (node, command) => line.broker?.send(node, 'do', command) ?? false,
    sendSettings: (name) => {
      const node = registry.nodes.get(name);
      if (node) line.broker?.send(name, 'set', settingsOf(node), true);
    },
    tell: (told) => hub.publish(told),
    delivered: (message) => events.tell('delivered', message),
    notReached: (alert) => base.later(engine.notReached(alert), 'whoever comes next could not be told'),
  });
  events.on('settings', (items) => outbox.dispatch(items));
  new HouseNews({ store, outbox, routePlans, handset, events, log, ways: ways.rules });
  const book = new ShelfBook();
  const engine: Engine = new Engine({
    ...{ store, registry, hub, outbox, events, log },
    shard: SHARD,
    tickMs: config.tickMs,
    handsetUrl: config.handsetUrl,
    ways: ways.rules,
    routes: routePlans,
    shelves: book,
  });
  const shelves = new Shelves({ store, engine, hub, log, book });
  await shelves.load();
  await loadInterlocks(database, registry);
  await loadOutputLimits(database, registry);
  const habits = new Habits({ database, registry });
  await habits.learnAll();
  await engine.load();
  shelves.start();
  const tripTests = new TripTests({ store, registry, engine, hub, events, log });
  await tripTests.load();
  const drills = new Drills({
    ...{ store, registry, engine, events, log },
    standins: new Standins(config.standinsUrl),
    disconnect: (node) => line.broker?.disconnect(node),
  });
  await drills.load();
  const followers = new Followers({
    ...{ store, database, registry, engine, events, log },
    send: (node, message) => line.broker?.send(node, 'do', message) ?? false,
  });
  await followers.load();
  return { engine, outbox, ways, pages, habits, routePlans, shelves, tripTests, drills, followers };
}
