import { JOINED_WITHIN_MS } from '@dewpost/core/alarm';
import type { HandsetMessage } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { randomUUID } from 'node:crypto';
import type { MessageToSend, WayRule } from '../engine/messages';
import type { NodeEntry } from '../model/entries';
import type { HouseEvents } from '../model/house-events';
import type { Outbox } from '../outbox/outbox';
import type { Store } from '../store/change';
import { putOut } from './put-out';
import type { RoutePlans } from './route-plans';

/** A node that sleeps starts with every report: that is no news. */
const ASLEEP = /sleep/i;

/** News of nodes themselves, where the routes want them: started anew, back on the mains. Told as notices, joined where they repeat. */
export class HouseNews {
  /** When a node’s news of a kind were told last, ms. */
  private readonly told = new Map<string, number>();
  private readonly onBackup = new Set<string>();

  constructor(
    private readonly parts: {
      store: Store;
      outbox: Outbox;
      routePlans: RoutePlans;
      handset: boolean;
      events: HouseEvents;
      log: Logger;
      ways(): readonly WayRule[];
    },
  ) {
    const { events } = parts;
    events.on('hello', (node) => {
      const reason = node.hello?.resetReason ?? '';
      if (!ASLEEP.test(reason))
        return this.tell(node, 'restarted', `${node.title} has started anew`, `Why: ${reason || 'it does not say'}.`);
    });
    events.on('supply', ({ node, onBackup }) => {
      if (onBackup) this.onBackup.add(node.name);
      // Said anew with each start: news once it was otherwise.
      else if (this.onBackup.delete(node.name))
        return this.tell(node, 'mains', `Mains back at ${node.title}`, 'It ran on its backup battery until now.');
    });
  }

  private async tell(node: NodeEntry, kind: 'restarted' | 'mains', title: string, text: string): Promise<void> {
    const { store, outbox, routePlans, log } = this.parts;
    // What is not in its house yet is news to whoever stands at the bench.
    if (!routePlans.plan().news.includes(kind) || node.state !== 'proved') return;
    const now = Date.now();
    const key = `${node.name} ${kind}`;
    const told = now - (this.told.get(key) ?? -Infinity) >= JOINED_WITHIN_MS;
    try {
      await store.commit(async (change) => {
        await change.trx('notice').insert({ node_id: node.id, edge: 'trip', title: title.slice(0, 200), at: new Date(now), told });
        const items = await putOut(change, told ? this.messages(title, text, now) : []);
        change.apply(() => told && this.told.set(key, now));
        change.tell(() => outbox.dispatch(items));
      });
    } catch (error) {
      // The node has done nothing wrong: its start goes on.
      log.error({ err: error, node: node.name }, 'news of a node could not be told');
    }
  }

  private messages(title: string, text: string, now: number): MessageToSend[] {
    const part = { title, text, severity: 'note' as const, alertId: null, trippedAt: now, sentAt: now };
    const of = (to: string): HandsetMessage => ({ id: randomUUID(), to, ...part });
    const ways = this.parts.ways().filter(({ notices }) => notices);
    return [
      ...(this.parts.handset ? [{ kind: 'message' as const, body: of('duty keeper') }] : []),
      ...ways.map(({ id, name }) => ({ kind: 'way' as const, body: { way: id, message: of(name) } })),
    ];
  }
}
