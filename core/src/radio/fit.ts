import type { Material, PlacedNode, RadioModel, Sample, SitePlan } from '../site-plan';
import { bearingDegrees, gainTowards } from './antenna';
import { Building, stationMegahertz } from './multi-wall';
import type { RadioParts } from './plan-link';

/** How sure the figures are before anything is measured, one standard deviation each. Common practice, from memory. */
const PRIOR = { exponent: 0.4, offsetDb: 6, wallShare: 0.5, wallLeastDb: 1.5 };
/** Of one level: fading and the receiver's own scale. */
const LEVEL_SIGMA_DB = 4;

export interface ModelFit {
  readonly model: RadioModel;
  readonly materials: Material[];
  readonly samples: number;
  /** Root mean square of measured less predicted, dB, before and after. */
  readonly errorBeforeDb: number;
  readonly errorAfterDb: number;
  /** The same with each sample predicted by a fit without it: what a new place can expect. */
  readonly errorElsewhereDb: number;
}

interface Row {
  readonly basis: readonly number[];
  readonly measured: number;
}

/** Solves a symmetric positive definite system by Cholesky's decomposition. */
function solve(matrix: readonly (readonly number[])[], right: readonly number[]): number[] {
  const n = right.length;
  const lower = matrix.map(() => new Array<number>(n).fill(0));
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = matrix[i]?.[j] ?? 0;
      for (let k = 0; k < j; k++) sum -= (lower[i]?.[k] ?? 0) * (lower[j]?.[k] ?? 0);
      (lower[i] as number[])[j] = i === j ? Math.sqrt(sum) : sum / (lower[j]?.[j] ?? 1);
    }
  }
  const forward: number[] = [];
  for (let i = 0; i < n; i++) {
    let sum = right[i] ?? 0;
    for (let k = 0; k < i; k++) sum -= (lower[i]?.[k] ?? 0) * (forward[k] ?? 0);
    forward[i] = sum / (lower[i]?.[i] ?? 1);
  }
  const found = new Array<number>(n).fill(0);
  for (let i = n - 1; i >= 0; i--) {
    let sum = forward[i] ?? 0;
    for (let k = i + 1; k < n; k++) sum -= (lower[k]?.[i] ?? 0) * (found[k] ?? 0);
    found[i] = sum / (lower[i]?.[i] ?? 1);
  }
  return found;
}

/**
 * Least squares with what was known before: minimises Σ((measured − basis·θ)/σ)² + Σ((θ − θ₀)/σ₀)². Values that may not be
 * negative are held at zero and the rest solved again. `sigma` is of one measurement, `least` per value.
 */
export function ridge(
  rows: readonly Row[],
  before: readonly number[],
  sigmas: readonly number[],
  sigma: number,
  least: readonly number[],
): number[] {
  const free = new Set(before.map((_, i) => i));
  let found = [...before];
  for (let round = 0; round <= before.length; round++) {
    const at = [...free];
    const held = found.map((value, i) => (free.has(i) ? 0 : value));
    const matrix = at.map((i) =>
      at.map(
        (j) =>
          rows.reduce((sum, row) => sum + (row.basis[i] ?? 0) * (row.basis[j] ?? 0), 0) / sigma ** 2 +
          (i === j ? 1 / (sigmas[i] ?? 1) ** 2 : 0),
      ),
    );
    const right = at.map(
      (i) =>
        rows.reduce(
          (sum, row) => sum + (row.basis[i] ?? 0) * (row.measured - row.basis.reduce((part, b, k) => part + b * (held[k] ?? 0), 0)),
          0,
        ) /
          sigma ** 2 +
        (before[i] ?? 0) / (sigmas[i] ?? 1) ** 2,
    );
    const solved = solve(matrix, right);
    found = [...held];
    at.forEach((i, k) => (found[i] = solved[k] ?? 0));
    const low = at.filter((i) => (found[i] ?? 0) < (least[i] ?? -Infinity));
    if (low.length === 0) return found;
    for (const i of low) {
      found[i] = least[i] ?? 0;
      free.delete(i);
    }
  }
  return found;
}

const rms = (values: readonly number[]): number =>
  Math.sqrt(values.reduce((sum, value) => sum + value * value, 0) / Math.max(1, values.length));

/**
 * Fits exponent, offset and the losses of the walls that were crossed to measured levels (of what arrives at the node), by
 * least squares held to common practice: a wall no sample crossed keeps its figure, and few samples move it little.
 * Throws `RangeError` for fewer than three samples of stations on the plan. The antenna of a sample is that of the node it
 * was heard with; a survey node is told by `gainDbi`.
 */
export function fitModel(plan: SitePlan, parts: Pick<RadioParts, 'antenna'>, samples: readonly (Sample & { gainDbi: number })[]): ModelFit {
  const building = Building.of(plan);
  const usable = samples.flatMap((sample): Row[] => {
    const station = plan.stations.find((one) => one.id === sample.station);
    if (!station || !plan.floors.some((floor) => floor.id === sample.floor)) return [];
    const path = building.path(station, sample, stationMegahertz(station.channel));
    const antenna = parts.antenna(station.antenna);
    const offAxis = antenna.gainDbi - gainTowards(antenna, bearingDegrees(station, sample) - station.aimDegrees);
    const sent = Math.min(plan.model.radiatedLimitDbm, station.powerDbm + antenna.gainDbi - station.cableDb) - offAxis + sample.gainDbi;
    // Loss beyond free space at 1 m and the slabs: linear in exponent, offset and the walls.
    const rest = sent - sample.levelDbm - path.slabsDb - (building.openLossDb(1, stationMegahertz(station.channel)) - plan.model.offsetDb);
    return [
      { basis: [10 * Math.log10(Math.max(1, path.metres)), 1, ...plan.materials.map((_, i) => path.crossed[i] ?? 0)], measured: rest },
    ];
  });
  if (usable.length < 3) throw new RangeError('Three measured levels of stations on this plan are needed before anything can be fitted.');
  const before = [plan.model.exponent, plan.model.offsetDb, ...plan.materials.map((material) => material.lossDb)];
  const sigmas = [
    PRIOR.exponent,
    PRIOR.offsetDb,
    ...plan.materials.map((material) => Math.max(PRIOR.wallLeastDb, material.lossDb * PRIOR.wallShare)),
  ];
  const least = [1.2, -40, ...plan.materials.map(() => 0)];
  const missed = (row: Row, values: readonly number[]): number =>
    row.measured - row.basis.reduce((sum, b, i) => sum + b * (values[i] ?? 0), 0);
  const found = ridge(usable, before, sigmas, LEVEL_SIGMA_DB, least);
  const elsewhere = usable.map((row) =>
    missed(
      row,
      ridge(
        usable.filter((other) => other !== row),
        before,
        sigmas,
        LEVEL_SIGMA_DB,
        least,
      ),
    ),
  );
  const errorElsewhereDb = rms(elsewhere);
  const round = (value: number, digits: number): number => Math.round(value * 10 ** digits) / 10 ** digits;
  return {
    model: {
      ...plan.model,
      exponent: Math.min(5, round(found[0] ?? before[0] ?? 2, 2)),
      offsetDb: round(Math.min(40, found[1] ?? 0), 1),
      // Few samples promise little: the error goes down from 8 dB as they come in, and never below what one level is worth.
      errorDb: round(Math.min(20, Math.max(2, Math.sqrt((8 ** 2 * 3 + errorElsewhereDb ** 2 * usable.length) / (3 + usable.length)))), 1),
      fittedTo: usable.length,
    },
    materials: plan.materials.map((material, i) => {
      const crossed = usable.some((row) => (row.basis[i + 2] ?? 0) > 0);
      return crossed ? { ...material, lossDb: round(found[i + 2] ?? material.lossDb, 1), fitted: true } : material;
    }),
    samples: usable.length,
    errorBeforeDb: rms(usable.map((row) => missed(row, before))),
    errorAfterDb: rms(usable.map((row) => missed(row, found))),
    errorElsewhereDb,
  };
}

/** What is predicted and measured at nodes that tell their level, dBm. */
export function predictedAgainst(levels: readonly { node: PlacedNode; predictedDbm: number; measuredDbm: number }[]): {
  meanDb: number;
  rmsDb: number;
} {
  const misses = levels.map((level) => level.measuredDbm - level.predictedDbm);
  return { meanDb: misses.reduce((sum, miss) => sum + miss, 0) / Math.max(1, misses.length), rmsDb: rms(misses) };
}
