/** A steady source of chance, so that every demo has the same past: a linear congruential generator, 0…1. */
export function chance(seed: number): () => number {
  let state = seed >>> 0;
  return () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
}
