import type { NewReference, Reference } from '@dewpost/contract';
import { instrumentFault, isOverdue, type Capture, type ReferenceInstrument } from '@dewpost/core/calibration';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';

interface Row {
  id: number;
  name: string;
  unit: string;
  low: number;
  high: number;
  uncertainty: number;
  certificate: string;
  certified_at: Date | null;
  due_at: Date | null;
  made_by: string;
  used: string;
}

const viewOf = (row: Row): Reference => ({
  ...{ id: row.id, name: row.name, unit: row.unit, low: row.low, high: row.high, uncertainty: row.uncertainty },
  ...{ certificate: row.certificate, madeBy: row.made_by, used: Number(row.used) },
  certifiedAt: row.certified_at?.getTime() ?? null,
  dueAt: row.due_at?.getTime() ?? null,
});
const columnsOf = ({ certifiedAt, dueAt, ...rest }: NewReference): object => ({
  ...rest,
  certified_at: certifiedAt === null ? null : new Date(certifiedAt),
  due_at: dueAt === null ? null : new Date(dueAt),
});

/** Instruments that sensors are compared with. Nothing of them is kept in memory: they are asked for when somebody calibrates. */
export class References {
  constructor(private readonly database: Database) {}

  async list(): Promise<Reference[]> {
    return ((await this.inUse().orderBy('r.name')) as Row[]).map(viewOf);
  }

  /** Throws 409 where another has that name. */
  async add(wanted: NewReference, by: string): Promise<Reference> {
    const id = await this.named(wanted, async () => {
      const [row] = (await this.database('reference')
        .insert({ ...columnsOf(wanted), made_by: by })
        .returning('id')) as { id: number }[];
      return row?.id ?? 0;
    });
    return this.find(id);
  }

  /** Another certificate, range or name. Throws 404 where it is out of use, 409 where another has that name. */
  async renew(id: number, wanted: NewReference): Promise<Reference> {
    const changed = await this.named(wanted, () =>
      this.database('reference').where({ id }).whereNull('retired_at').update(columnsOf(wanted)),
    );
    if (changed === 0) throw notFound(`reference ${id} in use`);
    return this.find(id);
  }

  async retire(id: number): Promise<void> {
    const gone = await this.database('reference').where({ id }).whereNull('retired_at').update({ retired_at: new Date() });
    if (gone === 0) throw notFound(`reference ${id} in use`);
  }

  private async find(id: number): Promise<Reference> {
    const [row] = (await this.inUse().where('r.id', id)) as Row[];
    if (!row) throw notFound(`reference ${id} in use`);
    return viewOf(row);
  }

  private inUse() {
    const used = this.database('calibration as c').where('c.reference_id', this.database.ref('r.id')).count();
    return this.database('reference as r').whereNull('r.retired_at').select('r.*', used.as('used'));
  }

  private async named<T>({ name }: NewReference, write: () => Promise<T>): Promise<T> {
    try {
      return await write();
    } catch (error) {
      if ((error as { constraint?: string }).constraint !== 'reference_name') throw error;
      const message = `There is a ${name} already: give this one another name.`;
      throw new ProblemError(409, 'Name taken', message, [{ path: 'body.name', message }]);
    }
  }
}

/** The instrument that a calibration names, held against what was captured; `null`: it names none. Throws 422 where it cannot be. */
export async function instrumentOf(
  trx: Database | Transaction,
  id: number | null,
  unit: string,
  captures: readonly Capture[],
  now: number,
): Promise<{ id: number; name: string; uncertainty: number; overdue: boolean } | null> {
  if (id === null) return null;
  const row = (await trx('reference').where({ id }).whereNull('retired_at').first('*')) as Row | undefined;
  if (!row) throw notFound(`reference ${id} in use`);
  const instrument: ReferenceInstrument = { ...row, dueAt: row.due_at?.getTime() ?? null };
  const fault = instrumentFault(instrument, unit, captures);
  if (fault !== null) {
    const message = `${fault}.`;
    throw new ProblemError(422, 'Cannot be calibrated', message, [{ path: 'body.instrument', message }]);
  }
  return { id, name: row.name, uncertainty: row.uncertainty, overdue: isOverdue(instrument, now) };
}
