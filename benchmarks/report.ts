import { cpus } from 'node:os';

/** Prints one ratio with its two sides and its limit; a miss makes the process end with 1. */
export function ratio(
  name: string,
  measured: number,
  reference: number,
  limit: { atLeast?: number; atMost?: number },
  detail: string,
): void {
  const value = measured / reference;
  const met = value >= (limit.atLeast ?? -Infinity) && value <= (limit.atMost ?? Infinity);
  const wanted = limit.atLeast !== undefined ? `at least ${limit.atLeast}` : `at most ${limit.atMost}`;
  console.log(`${met ? 'ok    ' : 'MISSED'} ${name}: ${value.toFixed(2)} (${wanted}); ${detail}`);
  if (!met) process.exitCode = 1;
}

/** The value below which `share` of the sorted-on-the-way values lie. */
export function percentile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? NaN;
}

export const machine = (): string => `${cpus().length} × ${cpus()[0]?.model ?? 'unknown'}, Node.js ${process.version}`;
