import type { Computed } from '@dewpost/contract';
import { formulaNamed, type Formula, type Pairs } from '@dewpost/core/derive';
import type { Database, Transaction } from '../database/connect';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';

/** A computed point as the running server knows it. */
export interface ComputedEntry {
  readonly point: PointEntry;
  version: number;
  /** `null`: this server knows no such formula. */
  formula: Formula | null;
  formulaId: string;
  /** Rows of its inputs, in order; one of a node that was retired is known to the database alone. */
  inputIds: readonly number[];
  /** Its inputs; shorter than the rows where one is gone. */
  inputs: readonly PointEntry[];
  parameters: Readonly<Record<string, number>>;
  pairs: Pairs;
  toleranceMs: number;
  madeBy: string;
  madeAt: number;
  anewFrom: number | null;
}

interface Row {
  point_id: number;
  version: number;
  formula: string;
  parameters: Record<string, number>;
  pairs: [number, number][];
  tolerance_seconds: number;
  made_by: string;
  made_at: Date;
  anew_from: Date | null;
  inputs: number[];
}

/** Computed points in force, or one of them. Those whose node was retired are left out. */
export async function readComputed(database: Database | Transaction, registry: Registry, only?: number): Promise<ComputedEntry[]> {
  const query = database('computed as c')
    .join('computed_version as v', (on) => void on.on('v.point_id', 'c.point_id').andOn('v.version', 'c.version'))
    .join('computed_input as i', (on) => void on.on('i.point_id', 'c.point_id').andOn('i.version', 'c.version'))
    .groupBy('c.point_id', 'v.point_id', 'v.version')
    .orderBy('c.point_id')
    .select(
      'c.point_id',
      'c.version',
      'c.anew_from',
      'v.formula',
      'v.parameters',
      'v.pairs',
      'v.tolerance_seconds',
      'v.made_by',
      'v.made_at',
    )
    .select(database.raw('array_agg(i.input_id order by i.place) as inputs'));
  if (only !== undefined) void query.where('c.point_id', only);
  return ((await query) as Row[]).flatMap((row) => {
    const point = registry.points.get(row.point_id);
    return point ? [entryOf(registry, point, row)] : [];
  });
}

function entryOf(registry: Registry, point: PointEntry, row: Row): ComputedEntry {
  const formula = formulaNamed(row.formula) ?? null;
  const usual = Object.fromEntries((formula?.parameters ?? []).map((one) => [one.name, one.usual]));
  return {
    point,
    version: row.version,
    formula,
    formulaId: row.formula,
    inputIds: row.inputs,
    inputs: row.inputs.flatMap((id) => registry.points.get(id) ?? []),
    parameters: { ...usual, ...row.parameters },
    pairs: row.pairs,
    toleranceMs: row.tolerance_seconds * 1000,
    madeBy: row.made_by,
    madeAt: row.made_at.getTime(),
    anewFrom: row.anew_from?.getTime() ?? null,
  };
}

/** Why it stands still, in words; `null`: it does not. */
function problemOf({ formula, inputs, inputIds }: ComputedEntry): string | null {
  if (!formula) return 'This server does not know its formula.';
  return inputs.length < inputIds.length
    ? 'A point that it is computed from is gone with its node: choose another, or take it away.'
    : null;
}

export const isComputable = (entry: ComputedEntry): entry is ComputedEntry & { formula: Formula } => problemOf(entry) === null;

export const viewOf = (entry: ComputedEntry): Computed => ({
  id: entry.point.id,
  node: entry.point.node.name,
  name: entry.point.name,
  version: entry.version,
  formula: entry.formulaId,
  inputs: entry.inputs.map(({ node, name }) => ({ node: node.name, point: name })),
  parameters: { ...entry.parameters },
  pairs: entry.pairs.map(([from, to]): [number, number] => [from, to]),
  toleranceSeconds: entry.toleranceMs / 1000,
  madeBy: entry.madeBy,
  madeAt: entry.madeAt,
  anewFrom: entry.anewFrom,
  problem: problemOf(entry),
});
