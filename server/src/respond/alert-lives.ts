import type { Alert, AlertEntry, AlertLife } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import { alertRows, alertView, type AlertRow } from '../engine/alert-rows';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import { notFound } from '../problem/problem';
import type { Store } from '../store/change';

/** So many of the last ones like it are shown. */
const BEFORE = 3;

interface EventRow {
  at: Date;
  kind: AlertEntry['kind'];
  what: string;
  by_whom: string | null;
}

/** What happened to alerts, and what people write down of them: appended, never changed. */
export class AlertLives {
  constructor(private readonly parts: { store: Store; database: Database; engine: Engine; hub: Hub }) {}

  /** Throws 404 where there is no such alert. */
  read(id: number): Promise<AlertLife> {
    return lifeOf(this.parts.database, id);
  }

  /** Writes down a note, or why it came, or what was done: the last of these stand with the alert. */
  write(id: number, { kind, text }: { kind: Exclude<AlertEntry['kind'], 'life'>; text: string }, by: string): Promise<AlertLife> {
    const { store, engine, hub } = this.parts;
    // In turn with all that judges it: it may clear this very moment.
    return engine.work(() =>
      store.commit(async (change) => {
        const known = (await change.trx('alert').where({ id }).first('id')) as { id: number } | undefined;
        if (!known) throw notFound(`alert ${id}`);
        await change.trx('alert_event').insert({ alert_id: id, kind, what: text, by_whom: by });
        if (kind !== 'note')
          await change
            .trx('alert')
            .where({ id })
            .update({ [kind]: text });
        const life = await lifeOf(change.trx, id);
        change.apply(() => engine.replaced([life.alert]));
        change.tell(() => hub.publish([{ type: 'alert', alert: life.alert }]));
        return life;
      }),
    );
  }
}

async function lifeOf(database: Database | Transaction, id: number): Promise<AlertLife> {
  const [row] = (await alertRows(database).where('a.id', id)) as AlertRow[];
  if (!row) throw notFound(`alert ${id}`);
  const events = (await database('alert_event')
    .where({ alert_id: id })
    .orderBy('id')
    .select('at', 'kind', 'what', 'by_whom')) as EventRow[];
  return {
    alert: alertView(row),
    entries: events.map(({ at, kind, what, by_whom: by }) => ({ at: at.getTime(), kind, text: what, by })),
    before: await likeIt(database, row),
  };
}

/** Of the same rule, whichever version; what is built in, of the same kind at the same node and point. */
async function likeIt(database: Database | Transaction, row: AlertRow): Promise<Alert[]> {
  const rows = (await alertRows(database)
    .whereNot('a.id', row.id)
    .where('a.tripped_at', '<=', row.tripped_at)
    .where((known) => void known.whereNotNull('a.cause').orWhereNotNull('a.remedy'))
    .where(
      row.threshold_id === null
        ? { 'a.kind': row.kind, 'n.name': row.node, 'a.point_id': row.point_id }
        : { 'a.threshold_id': row.threshold_id },
    )
    .orderBy('a.tripped_at', 'desc')
    .limit(BEFORE)) as AlertRow[];
  return rows.map(alertView);
}
