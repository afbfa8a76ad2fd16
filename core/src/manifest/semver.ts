import * as z from 'zod';

/** Source: the regular expression published with Semantic Versioning 2.0.0. */
const PATTERN =
  /^(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)(?:-((?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*)(?:\.(?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*))*))?(?:\+([0-9a-zA-Z-]+(?:\.[0-9a-zA-Z-]+)*))?$/;

export const semverSchema = z.string().max(64).regex(PATTERN, 'a version has three numbers, as 1.4.0 or 1.4.0-rc.1');

/**
 * Orders two versions: below 0 where `a` comes before `b`, 0 where they are the same, above 0 else. What follows a plus does
 * not count. Throws `RangeError` for what is no version. Source: Semantic Versioning 2.0.0, §11.
 */
export function compareVersions(a: string, b: string): number {
  const [left, right] = [parse(a), parse(b)];
  for (let i = 0; i < 3; i++) {
    const difference = (left.numbers[i] ?? 0) - (right.numbers[i] ?? 0);
    if (difference !== 0) return difference;
  }
  // A version without a pre-release comes after those with one.
  if (left.before.length === 0 || right.before.length === 0) return right.before.length - left.before.length;
  for (let i = 0; i < Math.max(left.before.length, right.before.length); i++) {
    const [x, y] = [left.before[i], right.before[i]];
    if (x === undefined) return -1;
    if (y === undefined) return 1;
    if (x === y) continue;
    const [xNumber, yNumber] = [/^\d+$/.test(x), /^\d+$/.test(y)];
    if (xNumber && yNumber) return Number(x) - Number(y);
    if (xNumber !== yNumber) return xNumber ? -1 : 1;
    return x < y ? -1 : 1;
  }
  return 0;
}

function parse(version: string): { numbers: number[]; before: string[] } {
  const found = PATTERN.exec(version);
  if (!found) throw new RangeError(`${version} is no version`);
  return { numbers: [Number(found[1]), Number(found[2]), Number(found[3])], before: found[4]?.split('.') ?? [] };
}
