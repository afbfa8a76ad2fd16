import type { Threshold } from '@dewpost/contract';
import { differences } from '../../parts/changed-meanwhile';
import type { RuleFigures } from './drawn-rule';
import type { JudgedDraft } from './judged-draft';
import { whenWords } from './rule-when';
import { RULE_LABELS } from './rule-words';
import type { WhatFollows } from './what-follows';

/** What is typed beside what somebody else has put in force meanwhile, field by field. */
export function rulesApart(
  draft: RuleFigures & { readonly output: number | null },
  what: WhatFollows,
  judged: JudgedDraft,
  theirs: Threshold,
  outputName: (id: number | null) => string | null,
): ReturnType<typeof differences> {
  const mine = {
    ...{ ...draft, deadband: draft.deadband ?? 0, output: outputName(draft.output), consequences: what.words(draft.output !== null) },
    ...{ act: what.act(), hours: whenWords(what.hours()), unless: what.unless(), ...judged.body(), then: what.then() },
    proportional: what.body(draft.output)?.proportional ?? null,
  };
  const others = { output: outputName(theirs.output), consequences: theirs.consequences.join(', '), hours: whenWords(theirs.hours) };
  return differences(RULE_LABELS, mine, { ...theirs, ...others });
}
