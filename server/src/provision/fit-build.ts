import { livesOnBattery, pointsOfSheet, type Catalogue } from '@dewpost/core/circuit';
import { leastSupplyVolts, RIGHT_ONCE_CALIBRATED, SELF_TESTS } from '@dewpost/core/fit';
import type { Database, Transaction } from '../database/connect';
import { draftOf } from '../model/drafts';
import type { NodeEntry } from '../model/entries';

/** What its build sheet says of a node that is fitted. */
export interface FitBuild {
  /** Least volts of its supply while it sends. */
  readonly least: number;
  readonly battery: boolean;
  /** What to try at each of its parts, by point. */
  readonly selfTests: ReadonlyMap<string, string>;
  readonly uncalibrated: ReadonlySet<string>;
}

/** A board's own least supply, V, where no sheet says more. */
const LEAST_VOLTS = 3;

/** Least volts of the node's supply while it sends, and what to try at each of its parts. */
export async function buildOf(database: Database | Transaction, catalogue: Catalogue, node: NodeEntry): Promise<FitBuild> {
  const draft = await draftOf(database, node);
  const supply = draft ? catalogue.supplies.get(draft.supply) : undefined;
  const selfTests = new Map<string, string>();
  const uncalibrated = new Set<string>();
  for (const point of draft ? pointsOfSheet(draft, catalogue) : []) {
    const group = catalogue.parts.get(draft?.parts.find((place) => place.ref === point.ref)?.part ?? '')?.group;
    const test = point.kind === 'measured' ? SELF_TESTS[group ?? 'other'] : undefined;
    if (test) selfTests.set(point.name, test);
    const calibrated = (node.points.get(point.name)?.calibrations.length ?? 0) > 0;
    if (test && group && !calibrated && RIGHT_ONCE_CALIBRATED.has(group)) uncalibrated.add(point.name);
  }
  return {
    least: leastSupplyVolts(draft, catalogue) ?? LEAST_VOLTS,
    battery: supply !== undefined && livesOnBattery(supply),
    selfTests,
    uncalibrated,
  };
}
