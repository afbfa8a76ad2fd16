import type { Delivery, LiveEvent } from '@dewpost/contract';
import { isExpired, type DoMessage, type HandsetMessage } from '@dewpost/core/wire';
import { setImmediate } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { OutboxItem } from './items';

interface OutboxRow {
  id: number;
  kind: OutboxItem['kind'];
  body: unknown;
  attempts: number;
  done_at: Date | null;
  failed_at: Date | null;
  error: string | null;
}

const POLL_MS = 1000;
/** A row that was claimed is free again after this long: whoever had it is gone. */
const CLAIM_SECONDS = 30;
/** Tries of a message whose alert is over, or that has none; while its alert is open it is tried for as long as it takes. */
const MESSAGE_ATTEMPTS = 12;
const LONGEST_PAUSE_MS = 60_000;
/** After so many tries of a message the next course of its alert begins. */
const NOT_REACHED_AFTER = 3;

/** What became of a message, as pages see it. */
export function deliveryView(row: OutboxRow): Delivery {
  const message = row.body as HandsetMessage;
  return {
    id: message.id,
    alert: message.alertId,
    message,
    state: row.done_at ? 'delivered' : row.failed_at ? 'failed' : 'waiting',
    attempts: row.attempts,
    deliveredAt: row.done_at?.getTime() ?? null,
    error: row.error,
  };
}

/**
 * Sends what committed transactions left in the outbox table: commands to nodes, messages to people. What was just
 * committed is sent at once; what is left (a crash, a handset that did not answer) is tried again. At least once,
 * each with a stable id.
 */
export class Outbox {
  private timer: NodeJS.Timeout | null = null;
  private readonly underWay = new Set<number>();
  private readonly sends = new Set<Promise<void>>();
  private stopped = false;

  constructor(
    private readonly parts: {
      database: Database;
      log: Logger;
      handsetUrl: string | null;
      /** Hands a command to a connected node; false when it is not connected. */
      sendCommand(node: string, command: DoMessage): boolean;
      /** Hands a node what it is told by `set`, as it is now; kept for it where it is not connected. */
      sendSettings(node: string): void;
      /** Delivers by a way that leaves the house; `null`: it arrived. `final`: trying again does not help. */
      sendByWay(way: number, message: HandsetMessage): Promise<{ text: string; final: boolean } | null>;
      tell(events: LiveEvent[]): void;
      /** A message to a person has arrived. */
      delivered(message: HandsetMessage): void;
      /** A message of an alert has failed so often that somebody else had better be told. */
      notReached(alert: number): void;
    },
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.poll(), POLL_MS);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    if (this.timer) clearInterval(this.timer);
    await Promise.allSettled(this.sends);
  }

  /** Sends these now, without waiting. */
  dispatch(items: readonly OutboxItem[]): void {
    for (const item of items) {
      if (this.underWay.has(item.id)) continue;
      this.underWay.add(item.id);
      const send = this.send(item)
        .catch((error: unknown) =>
          this.parts.log.error({ err: error, outbox: item.id }, 'an outbox row could not be settled; it will be tried again'),
        )
        .finally(() => {
          this.underWay.delete(item.id);
          this.sends.delete(send);
        });
      this.sends.add(send);
    }
  }

  /** Looks for rows that are due; in the background, and once at start. */
  async poll(): Promise<void> {
    if (this.stopped) return;
    try {
      const { rows } = await this.parts.database.raw<{ rows: OutboxItem[] }>(
        `update outbox set next_try_at = now() + ? * interval '1 second'
         where id in (
           select id from outbox where done_at is null and failed_at is null and next_try_at <= now()
           order by id limit 200 for update skip locked
         ) returning id, kind, body, attempts`,
        [CLAIM_SECONDS],
      );
      rows.sort((a, b) => a.id - b.id);
      this.dispatch(rows);
    } catch (error) {
      this.parts.log.error({ err: error }, 'the outbox could not be read');
    }
  }

  private send(item: OutboxItem): Promise<void> {
    switch (item.kind) {
      case 'command':
        return this.sendCommand(item);
      case 'settings':
        return this.sendSettings(item);
      case 'message':
        return this.sendMessage(item);
      case 'way':
        return this.sendByWay(item);
    }
  }

  private async sendSettings(item: Extract<OutboxItem, { kind: 'settings' }>): Promise<void> {
    try {
      this.parts.sendSettings(item.body.node);
    } catch (error) {
      this.parts.log.error({ err: error, node: item.body.node }, 'settings could not be made');
      await this.settle(item, { failed_at: new Date(), error: 'the settings could not be made: see the server log' });
      return;
    }
    await this.settle(item, { done_at: new Date() });
  }

  private async sendCommand(item: Extract<OutboxItem, { kind: 'command' }>): Promise<void> {
    const { node, command } = item.body;
    const expired = isExpired(command, Date.now());
    const sent = !expired && this.parts.sendCommand(node, command);
    // It is on the wire before its row is looked at.
    await setImmediate();
    if (sent) await this.settle(item, { done_at: new Date() });
    // Never kept for later: a demand that still stands is told anew when the node is back. A node that posts fetches it itself.
    else
      await this.settle(item, {
        failed_at: new Date(),
        error: expired ? 'expired before the node could be reached' : 'the node was not connected',
      });
  }

  private async sendMessage(item: Extract<OutboxItem, { kind: 'message' }>): Promise<void> {
    const { handsetUrl } = this.parts;
    let error: string | null = 'no handset is configured';
    try {
      if (handsetUrl !== null) {
        const answer = await fetch(handsetUrl, {
          method: 'POST',
          headers: { 'content-type': 'application/json', 'idempotency-key': item.body.id },
          body: JSON.stringify(item.body),
          redirect: 'error',
          signal: AbortSignal.timeout(5000),
        });
        error = answer.ok ? null : `the handset answered ${answer.status}`;
      }
    } catch (failure) {
      error = failure instanceof Error ? failure.message : String(failure);
    }
    const attempts = item.attempts + 1;
    const pause = Math.min(LONGEST_PAUSE_MS, 1000 * 2 ** Math.min(attempts, 6));
    if (error !== null) this.givesWay(attempts, item.body.alertId);
    if (error === null) await this.arrived(item, item.body, attempts);
    else if (attempts >= MESSAGE_ATTEMPTS && !(await this.alertIsOpen(item.body.alertId)))
      await this.settle(item, { failed_at: new Date(), attempts, error });
    else await this.settle(item, { next_try_at: new Date(Date.now() + pause), attempts, error });
  }

  private async sendByWay(item: Extract<OutboxItem, { kind: 'way' }>): Promise<void> {
    const { way, message } = item.body;
    const failure = await this.parts.sendByWay(way, message);
    const attempts = item.attempts + 1;
    if (failure === null) return this.arrived(item, message, attempts);
    this.givesWay(failure.final ? NOT_REACHED_AFTER : attempts, message.alertId);
    const over = failure.final || (attempts >= MESSAGE_ATTEMPTS && !(await this.alertIsOpen(message.alertId)));
    const pause = Math.min(LONGEST_PAUSE_MS, 1000 * 2 ** Math.min(attempts, 6));
    await this.settle(item, {
      attempts,
      error: failure.text,
      ...(over ? { failed_at: new Date() } : { next_try_at: new Date(Date.now() + pause) }),
    });
  }

  private arrived(item: OutboxItem, message: HandsetMessage, attempts: number): Promise<void> {
    this.parts.delivered(message);
    return this.settle(item, { done_at: new Date(), attempts, error: null });
  }

  private givesWay(attempts: number, alert: number | null): void {
    if (alert !== null && attempts === NOT_REACHED_AFTER) this.parts.notReached(alert);
  }

  private async alertIsOpen(id: number | null): Promise<boolean> {
    if (id === null) return false;
    const open: unknown = await this.parts.database('alert').where({ id }).whereNull('cleared_at').first('id');
    return open !== undefined;
  }

  /**
   * Notes what became of an item. The disk is not waited for: should the database lose power just then, it is sent once more, under the same
   * id, and readings on their way have not stood behind it.
   */
  private async settle(item: OutboxItem, change: Partial<OutboxRow> & { next_try_at?: Date }): Promise<void> {
    const [row] = (await this.parts
      .database('outbox')
      .updateFrom(this.parts.database.raw(`set_config('synchronous_commit', 'off', true) as at_ease`))
      .where({ id: item.id })
      .update(change)
      .returning('outbox.*')) as OutboxRow[];
    if (row?.kind === 'message') this.parts.tell([{ type: 'delivery', delivery: deliveryView(row) }]);
  }
}
