import type { Alert } from '@dewpost/contract';
import { alertRows, alertView, type AlertRow } from '../engine/alert-rows';
import type { Engine } from '../engine/engine';
import { notFound, ProblemError } from '../problem/problem';
import type { Store } from '../store/change';

/** What keeps a latched alert from being reset, in words; `null`: nothing. ANSI/ISA-18.2: only what was acknowledged and has returned is. */
function resetProblem({ returnedAt, acknowledgedAt }: Alert): string | null {
  if (returnedAt === null) return 'Its condition still stands, or it is not latched: it clears by itself.';
  return acknowledgedAt === null ? 'Nobody has acknowledged it yet: do that first.' : null;
}

/** Ends a latched alert by hand. Throws 404 where none such is open, 409 where it cannot be reset yet. */
export async function resetAlert({ engine, store }: { engine: Engine; store: Store }, id: number, by: string): Promise<Alert> {
  await engine.work(async () => {
    const draft = await engine.draft();
    const [key, open] = [...draft.alerts].find(([, alert]) => alert.id === id) ?? [];
    if (key === undefined || open === undefined) throw notFound(`open alert ${id}`);
    const problem = resetProblem(open);
    if (problem !== null) throw new ProblemError(409, 'Cannot be reset', problem);
    const now = engine.now();
    await engine.transactAlone({ draft, now, effects: [{ kind: 'close-alert', key, at: now, why: `reset by ${by}` }] });
  });
  const row = (await alertRows(store.database).where('a.id', id).first()) as AlertRow;
  return alertView(row);
}
