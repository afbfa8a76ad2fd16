import type { Alert } from '@dewpost/contract';
import { MOST_SHELVED_MINUTES } from '@dewpost/core/alarm';
import { formatSpan } from '@dewpost/core/quantity';
import type { Logger } from 'pino';
import { alertRows, alertView, type AlertRow } from '../engine/alert-rows';
import type { Engine } from '../engine/engine';
import type { Shelf, ShelfBook } from '../engine/shelf';
import { NOBODY_TOLD, rowOfTold, toldAnew } from '../engine/told';
import type { Hub } from '../events/hub';
import { notFound, ProblemError } from '../problem/problem';
import { AtTime } from '../store/at-time';
import type { Change, Store } from '../store/change';

interface Parts {
  store: Store;
  engine: Engine;
  hub: Hub;
  log: Logger;
  book: ShelfBook;
}

/**
 * Alerts that somebody knows of and does not want to hear again for a while: they stand, what they switch goes on, and nobody is told. One
 * that clears and trips again stays on the shelf. When its time is over what still stands is told from the beginning.
 */
export class Shelves {
  private readonly ends: AtTime<string>;

  constructor(private readonly parts: Parts) {
    this.ends = new AtTime(parts.log, 'a shelf could not be cleared; it is tried again');
  }

  /** What was shelved when the server ended stays so. Before the engine judges anything. */
  async load(): Promise<void> {
    const rows = (await this.parts.store.database('shelf').select('*')) as {
      alert_key: string;
      severity: Alert['severity'];
      until: Date;
      by_whom: string;
      why: string;
    }[];
    for (const { alert_key: key, severity, until, by_whom: by, why } of rows) {
      this.parts.book.put(key, { severity, until: until.getTime(), by, why });
    }
  }

  /** Once open alerts are known: what has been on a shelf for its time comes off it, now or later. */
  start(): void {
    for (const [key, { until }] of this.parts.book.entries()) this.endInTime(key, until);
  }

  stop(): void {
    this.ends.stop();
  }

  /** Puts an open alert on the shelf. Throws 409 where it has cleared, 422 where so long is not for its severity. */
  async shelve(id: number, { minutes, why }: { minutes: number; why: string }, by: string): Promise<Alert> {
    const { engine } = this.parts;
    const [key, open] = this.openById(id);
    const most = MOST_SHELVED_MINUTES[open.severity];
    if (minutes > most) {
      const message = `A ${open.severity} alert is put away for ${formatSpan(most * 60)} at most.`;
      throw new ProblemError(422, 'Too long', message, [{ path: 'body.minutes', message }]);
    }
    const shelf: Shelf = { severity: open.severity, by, why, until: engine.now() + minutes * 60_000 };
    const alert = await this.change(key, `shelved for ${formatSpan(minutes * 60)}: ${why}`, by, async (change) => {
      // It may have cleared a moment ago: nothing is put away then.
      this.openById(id);
      const row = { severity: shelf.severity, until: new Date(shelf.until), by_whom: by, why };
      await change
        .trx('shelf')
        .insert({ alert_key: key, ...row })
        .onConflict('alert_key')
        .merge();
      change.apply(() => this.parts.book.put(key, shelf));
      return shelf;
    });
    this.endInTime(key, shelf.until);
    if (!alert) throw notFound(`open alert ${id}`);
    return alert;
  }

  /** Takes it off the shelf before its time: it is told again from the beginning. */
  async takeOff(id: number, by: string): Promise<Alert> {
    const [key, open] = this.openById(id);
    if (open.shelvedUntil === null) throw notFound(`shelf of alert ${id}`);
    const alert = await this.clear(key, `taken off the shelf by ${by}`, by);
    if (!alert) throw notFound(`open alert ${id}`);
    return alert;
  }

  private openById(id: number): [key: string, alert: Alert] {
    const found = [...this.parts.engine.state.alerts].find(([, alert]) => alert.id === id);
    if (!found) throw new ProblemError(409, 'Not open', 'It has cleared: there is nothing to put on the shelf.');
    return found;
  }

  private endInTime(key: string, until: number): void {
    this.ends.set(key, until, () => this.clear(key, 'its time on the shelf is over', null));
  }

  private async clear(key: string, what: string, by: string | null): Promise<Alert | null> {
    const alert = await this.change(key, what, by, async (change) => {
      await change.trx('shelf').where({ alert_key: key }).delete();
      change.apply(() => this.parts.book.take(key));
      return null;
    });
    this.ends.clear(key);
    return alert;
  }

  /** Puts the open alert of a key on a shelf or off it, in turn with all that judges it; `null`: none is open. */
  private change(key: string, what: string, by: string | null, write: (change: Change) => Promise<Shelf | null>): Promise<Alert | null> {
    const { store, engine, hub } = this.parts;
    return engine.work(() =>
      store.commit(async (change) => {
        const shelf = await write(change);
        const open = engine.state.alerts.get(key);
        if (!open) return null;
        // Off the shelf its route counts from now, and everybody is told anew.
        const told = shelf === null ? toldAnew(engine.state.told.get(open.id) ?? NOBODY_TOLD, open.trippedAt, engine.now()) : null;
        await change
          .trx('alert')
          .where({ id: open.id })
          .update({
            shelved_until: shelf && new Date(shelf.until),
            shelved_by: shelf?.by ?? null,
            shelved_why: shelf?.why ?? null,
            ...(told && { told: JSON.stringify(rowOfTold(told)) }),
          });
        await change.trx('alert_event').insert({ alert_id: open.id, what: what.slice(0, 200), by_whom: by });
        const [row] = (await alertRows(change.trx).where('a.id', open.id)) as AlertRow[];
        if (!row) return null;
        const alert = alertView(row);
        change.apply(() => {
          engine.replaced([alert]);
          if (told) engine.state.told.set(alert.id, told);
        });
        change.tell(() => hub.publish([{ type: 'alert', alert }]));
        return alert;
      }),
    );
  }
}
