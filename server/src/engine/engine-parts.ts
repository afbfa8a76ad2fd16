import type { Logger } from 'pino';
import type { Hub } from '../events/hub';
import type { HouseEvents } from '../model/house-events';
import type { Registry } from '../model/registry';
import type { Outbox } from '../outbox/outbox';
import type { Store } from '../store/change';
import type { Clock } from './clock-watch';
import type { WayRule } from './messages';
import type { ShelfBook } from './shelf';
import type { Routes } from './telling';

/** What the engine stands among. */
export interface EngineParts {
  store: Store;
  registry: Registry;
  hub: Hub;
  outbox: Outbox;
  events: HouseEvents;
  log: Logger;
  shard: number;
  tickMs: number;
  handsetUrl: string | null;
  /** Ways by which messages leave the house. */
  ways(): readonly WayRule[];
  routes: Routes;
  shelves: ShelfBook;
  clock?: Clock;
}
