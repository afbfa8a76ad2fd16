/**
 * Does an answer meet an expectation? Numbers within the absolute `tolerance` (0: exactly), everything else the same,
 * arrays and objects member by member. `"NaN"` stands for not a number; `null` only for `null`.
 */
export function agrees(answer: unknown, expected: unknown, tolerance: number): boolean {
  if (expected === 'NaN') return typeof answer === 'number' && Number.isNaN(answer);
  if (typeof expected === 'number') {
    if (typeof answer !== 'number' || !Number.isFinite(answer)) return false;
    return Math.abs(answer - expected) <= tolerance;
  }
  if (Array.isArray(expected)) {
    return Array.isArray(answer) && answer.length === expected.length && expected.every((e, i) => agrees(answer[i], e, tolerance));
  }
  if (typeof expected === 'object' && expected !== null) {
    if (typeof answer !== 'object' || answer === null) return false;
    const given = answer as Record<string, unknown>;
    const wanted = expected as Record<string, unknown>;
    const keys = new Set([...Object.keys(given).filter((key) => given[key] !== undefined), ...Object.keys(wanted)]);
    return [...keys].every((key) => agrees(given[key], wanted[key], tolerance));
  }
  return answer === expected;
}
