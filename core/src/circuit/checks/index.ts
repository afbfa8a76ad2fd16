import { assignPins, type Assignment } from '../sheet/assign';
import { sleeps, type SheetDraft } from '../sheet/draft';
import type { Catalogue } from '../profile';
import { checkAnalog, checkMeasured, checkRatio } from './analog';
import { checkBuses } from './buses';
import type { Bench, Check, CheckRun, Verdict } from './check';
import { checkOutputs } from './outputs';
import { checkPins } from './pins';
import { checkAntenna, checkHabits, checkSignals } from './signals';
import { checkSupply } from './supply';
import { checkCurrents, checkVolts } from './volts';
import { checkWake } from './wake';
import { checkWires } from './wires';

export { proposeDivider } from './analog';
export { LEASE_SECONDS } from './outputs';
export type { Check, Verdict } from './check';

const RUNS: readonly CheckRun[] = [
  checkPins,
  checkWires,
  checkBuses,
  checkAnalog,
  checkMeasured,
  checkRatio,
  checkVolts,
  checkCurrents,
  checkOutputs,
  checkWake,
  checkSupply,
  checkSignals,
  checkHabits,
  checkAntenna,
];
const RANK: Record<Verdict, number> = { fail: 0, warn: 1, pass: 2 };

/** How a reminder is ticked off in a draft. */
export const reminderKey = (check: Pick<Check, 'id' | 'at'>): string => `${check.id} ${check.at}`.trim();
const isSeenTo = (check: Check, draft: SheetDraft): boolean => check.reminder === true && draft.reminded.includes(reminderKey(check));

/**
 * Checks a draft against its profiles: pins, wires, buses, converters, currents, outputs, supply, sleep. Nothing is assumed about what
 * is missing: an unknown board, part or supply fails first.
 */
export function checkSheet(draft: SheetDraft, catalogue: Catalogue): { checks: Check[]; assignment: Assignment | null } {
  const checks: Check[] = [];
  const board = catalogue.boards.get(draft.board);
  const supply = catalogue.supplies.get(draft.supply);
  const unknown = [
    ...(board ? [] : [draft.board]),
    ...(supply ? [] : [draft.supply]),
    ...(catalogue.antennas.has(draft.antenna) ? [] : [draft.antenna]),
    ...draft.parts.filter((part) => !catalogue.parts.has(part.part)).map((part) => part.part),
  ];
  for (const id of unknown)
    checks.push({
      id: 'unknown',
      verdict: 'fail',
      title: 'Not in the catalogue',
      figure: id,
      limit: '',
      reason: 'Its profile is missing: import it, or choose another.',
      at: '',
    });
  if (!board || !supply) return { checks, assignment: null };
  const result = assignPins(draft, catalogue);
  if (!result.ok) {
    const kept = Object.keys(draft.fixed).length > 0;
    checks.push({
      id: 'pins',
      verdict: 'fail',
      title: 'No pins for these',
      figure: result.conflict.join(', ') || 'kept pins',
      limit: board.name,
      reason: `These cannot stand together: ${result.why}.`,
      at: result.conflict[0] ?? '',
      ...(kept && { fix: { label: 'Let kept pins go', draft: { ...draft, fixed: {} } } }),
    });
  }
  const bench: Bench = {
    draft,
    board,
    supply,
    catalogue,
    parts: draft.parts.flatMap((place) => {
      const profile = catalogue.parts.get(place.part);
      return profile ? [{ place, profile }] : [];
    }),
    assignment: result.ok ? result.assignment : null,
    asleep: sleeps(draft, supply),
  };
  for (const run of RUNS)
    checks.push(...run(bench).map((check) => (isSeenTo(check, draft) ? { ...check, verdict: 'pass' as const } : check)));
  return { checks: checks.sort((a, b) => RANK[a.verdict] - RANK[b.verdict]), assignment: bench.assignment };
}
