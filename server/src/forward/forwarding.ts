import { recentWith } from '@dewpost/core/forward';
import type { Router } from 'express';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { Newest } from '../engine/draft';
import type { HouseEvents } from '../model/house-events';
import type { Registry } from '../model/registry';
import type { Store } from '../store/change';
import type { Vault } from '../vault/vault';
import type { ForwardEntry } from './entries';
import { capOf, Forwarder, readingOf } from './forwarder';
import { Forwards } from './forwards';
import { forwardRoutes } from './routes';
import { senderOf } from './send';

interface Parts {
  store: Store;
  database: Database;
  registry: Registry;
  vault: Vault;
  events: HouseEvents;
  log: Logger;
  /** host:port of the building that may be spoken to. */
  allowed: readonly string[];
  newest: (point: number) => Newest | undefined;
}

/** Forwarding as a whole: who is sent to, and a sender for each. */
export class Forwarding {
  readonly forwards: Forwards;
  readonly routes: Router;
  private readonly forwarders = new Map<number, Forwarder>();
  /** Senders are exchanged one after the other: an old one has ended before the new one begins. */
  private exchanges: Promise<void> = Promise.resolve();
  private started = false;

  constructor(private readonly parts: Parts) {
    this.forwards = new Forwards({ ...parts, changed: (id, entry) => this.exchange(id, entry) });
    this.routes = forwardRoutes(this.forwards, (id) => this.test(id));
    parts.events.on('readings', (readings) => {
      if (this.forwards.concerns(readings)) for (const forwarder of this.forwarders.values()) forwarder.wake();
    });
  }

  start(): void {
    this.started = true;
    for (const entry of this.forwards.entries.values()) this.exchange(entry.id, entry);
  }

  async stop(): Promise<void> {
    this.started = false;
    await this.exchanges;
    await Promise.all([...this.forwarders.values()].map((forwarder) => forwarder.stop()));
  }

  private exchange(id: number, entry: ForwardEntry | null): void {
    if (!this.started) return;
    this.exchanges = this.exchanges
      .then(async () => {
        await this.forwarders.get(id)?.stop();
        this.forwarders.delete(id);
        if (entry && !entry.paused && this.started)
          this.forwarders.set(id, new Forwarder(entry, this.forwards.secretOf(entry), this.parts));
      })
      .catch((error: unknown) => this.parts.log.error({ err: error, forward: id }, 'a sender could not be exchanged'));
  }

  /** Really sends the newest reading of its first point that has one. */
  private async test(id: number): Promise<{ delivered: boolean; ms: number; detail: string }> {
    const { registry, newest, allowed } = this.parts;
    const entry = this.forwards.find(id);
    const reading = entry.points.flatMap((point) => {
      const known = registry.points.get(point);
      const last = newest(point);
      return known && last && last.quality !== 'bad' ? [readingOf(known, { ...last, suspect: last.quality === 'suspect' })] : [];
    })[0];
    if (!reading) return { delivered: false, ms: 0, detail: 'none of its points has a reading yet: there is nothing to send' };
    const sender = senderOf(entry.settings, this.forwards.secretOf(entry), allowed);
    const begun = performance.now();
    entry.recent = recentWith(entry.recent, capOf(entry), Date.now());
    try {
      await sender.send([reading], 1);
      const detail = `${reading.node}/${reading.point} ${reading.value} was taken`;
      return { delivered: true, ms: Math.round(performance.now() - begun), detail };
    } catch (error) {
      const detail = (error instanceof Error ? error.message : String(error)).slice(0, 300);
      return { delivered: false, ms: Math.round(performance.now() - begun), detail };
    } finally {
      await sender.close();
    }
  }
}
