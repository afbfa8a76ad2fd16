import { recentWith, waitBeforeSend, type ForwardReading, type SendCap } from '@dewpost/core/forward';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { NotAllowed } from '../net/outgoing';
import type { ForwardEntry } from './entries';
import { senderOf, TooLong, type Sender } from './send';

/** What came together goes together. */
const TOGETHER_MS = 200;
const LONGEST_PAUSE_MS = 60_000;
/** A receiver that is not allowed, or whose limits nothing fits, is tried again as seldom: only a change helps. */
const HOPELESS_PAUSE_MS = 600_000;
/** Read at once. */
const PAGE = 1000;
/** The most that waits for one receiver: the oldest go first. */
const MOST_WAITING = 500_000;
const LOOK_MS = 60_000;

interface Row {
  id: string;
  point_id: number;
  at: Date;
  value: number;
  suspect: boolean;
}

/** What goes out of a reading. */
export const readingOf = (
  { node, name, body }: PointEntry,
  { value, at, suspect }: { value: number; at: number; suspect: boolean },
): ForwardReading => ({
  node: node.name,
  point: name,
  label: body.label,
  room: node.room,
  unit: body.unit,
  value,
  at,
  quality: suspect ? 'suspect' : 'good',
});

/** How many messages its receiver takes; `null`: as many as come. */
export const capOf = ({ settings: { cap } }: ForwardEntry): SendCap | null =>
  cap.sends === null ? null : { sends: cap.sends, windowSeconds: cap.windowSeconds };

/** Sends what waits for one receiver, oldest first, within what it takes; what fails is tried again, later and later. At least once. */
export class Forwarder {
  private readonly sender: Sender;
  private timer: NodeJS.Timeout | null = null;
  private dueAt = Infinity;
  private running: Promise<void> | null = null;
  private failures = 0;
  private lookedAt = 0;
  private stopped = false;

  constructor(
    private readonly entry: ForwardEntry,
    secret: string,
    private readonly parts: { database: Database; registry: Registry; log: Logger; allowed: readonly string[] },
  ) {
    this.sender = senderOf(entry.settings, secret, parts.allowed);
    this.soon(TOGETHER_MS);
  }

  /** Something may wait. While it is backing off it goes on doing so. */
  wake(): void {
    if (this.failures === 0) this.soon(TOGETHER_MS);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    if (this.timer) clearTimeout(this.timer);
    await this.running;
    await this.sender.close();
  }

  private soon(ms: number): void {
    const at = Date.now() + ms;
    if (this.stopped || at >= this.dueAt) return;
    if (this.timer) clearTimeout(this.timer);
    this.dueAt = at;
    this.timer = setTimeout(() => {
      this.dueAt = Infinity;
      this.timer = null;
      if (this.running) return this.soon(TOGETHER_MS);
      this.running = this.work().finally(() => (this.running = null));
    }, ms);
    this.timer.unref();
  }

  private async work(): Promise<void> {
    try {
      if (Date.now() - this.lookedAt > LOOK_MS) await this.dropOld();
      while (!this.stopped && !this.entry.paused) {
        const wait = waitBeforeSend(this.entry.recent, this.cap, Date.now());
        if (wait > 0) return this.soon(wait);
        const rows = await this.next();
        if (rows.length === 0) return this.soon(LOOK_MS);
        await this.sendSome(rows);
      }
    } catch (error) {
      await this.failed(error);
    }
  }

  private get cap(): SendCap | null {
    return capOf(this.entry);
  }

  private next(): Promise<Row[]> {
    const { settings, id } = this.entry;
    return this.parts
      .database('forward_item')
      .where({ forward_id: id })
      .where('at', '>', new Date(Date.now() - settings.keepHours * 3_600_000))
      .orderBy('id')
      .limit(Math.min(PAGE, settings.kind === 'http' ? settings.cap.records : PAGE)) as unknown as Promise<Row[]>;
  }

  private async sendSome(rows: readonly Row[]): Promise<void> {
    const { registry } = this.parts;
    const known = rows.filter((row) => registry.points.has(row.point_id));
    // Of a node that was retired meanwhile nothing is said any more.
    if (known.length < rows.length)
      await this.settle({ gone: rows.filter((row) => !registry.points.has(row.point_id)), arrived: [], messages: 0 });
    if (known.length === 0) return;
    const most = this.cap === null ? Infinity : this.cap.sends - this.recentWithin();
    const { arrived, messages } = await this.sender.send(
      known.flatMap((row) => {
        const point = registry.points.get(row.point_id);
        return point ? [readingOf(point, { ...row, at: row.at.getTime() })] : [];
      }),
      most,
    );
    this.failures = 0;
    await this.settle({ gone: [], arrived: known.slice(0, arrived), messages });
  }

  /** Messages of the last window. */
  private recentWithin(): number {
    const { cap } = this;
    return cap === null ? 0 : this.entry.recent.filter((at) => at > Date.now() - cap.windowSeconds * 1000).length;
  }

  /** Notes what arrived: from here on it does not wait. A crash before it sends that once more. */
  private async settle({ gone, arrived, messages }: { gone: readonly Row[]; arrived: readonly Row[]; messages: number }): Promise<void> {
    const { entry } = this;
    const now = Date.now();
    let recent = entry.recent;
    for (let i = 0; i < messages; i++) recent = recentWith(recent, this.cap, now);
    const sentAt = arrived.length > 0 ? now : entry.sentAt;
    await this.parts.database.transaction(async (trx) => {
      await trx('forward_item')
        .whereIn(
          'id',
          [...gone, ...arrived].map(({ id }) => id),
        )
        .delete();
      await trx('forward')
        .where({ id: entry.id })
        .update({
          sent: trx.raw('sent + ?', [arrived.length]),
          recent: JSON.stringify(recent),
          sent_at: sentAt === null ? null : new Date(sentAt),
          failed_at: null,
          failure: null,
        });
    });
    Object.assign(entry, { sent: entry.sent + arrived.length, recent, sentAt, failedAt: null, failure: null });
  }

  private async failed(error: unknown): Promise<void> {
    const { entry } = this;
    this.failures++;
    const text = (error instanceof Error ? error.message : String(error)).slice(0, 300);
    const hopeless = error instanceof NotAllowed || error instanceof TooLong;
    // What did not arrive was a message all the same, for whoever counts them.
    const recent = hopeless ? entry.recent : recentWith(entry.recent, this.cap, Date.now());
    Object.assign(entry, { failedAt: Date.now(), failure: text, recent });
    this.soon(hopeless ? HOPELESS_PAUSE_MS : Math.min(LONGEST_PAUSE_MS, 1000 * 2 ** Math.min(this.failures, 6)));
    await this.parts
      .database('forward')
      .where({ id: entry.id })
      .update({ failed_at: new Date(), failure: text, recent: JSON.stringify(recent) })
      .catch((failure: unknown) => this.parts.log.error({ err: failure, forward: entry.id }, 'a failure of forwarding could not be noted'));
  }

  /** What has grown too old, or is too much, waits no longer. */
  private async dropOld(): Promise<void> {
    const { entry } = this;
    const { database } = this.parts;
    this.lookedAt = Date.now();
    const old = await database('forward_item')
      .where({ forward_id: entry.id })
      .where('at', '<=', new Date(Date.now() - entry.settings.keepHours * 3_600_000))
      .delete();
    const edge = (await database('forward_item').where({ forward_id: entry.id }).orderBy('id', 'desc').offset(MOST_WAITING).first('id')) as
      { id: string } | undefined;
    const many = edge ? await database('forward_item').where({ forward_id: entry.id }).where('id', '<=', edge.id).delete() : 0;
    if (old + many === 0) return;
    await database('forward')
      .where({ id: entry.id })
      .update({ dropped: database.raw('dropped + ?', [old + many]) });
    entry.dropped += old + many;
  }
}
