/** The shortest decimal text of a number without an exponent: sign, digits before and after the point. */
function decimalText(value: number): { negative: boolean; whole: string; fraction: string } {
  const [mantissa = '0', exponent = '0'] = Math.abs(value).toString().split('e');
  const [a = '0', b = ''] = mantissa.split('.');
  const shift = Number(exponent);
  const digits = a + b;
  const point = a.length + shift;
  const padded = point <= 0 ? '0'.repeat(1 - point) + digits : digits.padEnd(point, '0');
  const at = Math.max(1, point);
  return { negative: value < 0 || Object.is(value, -0), whole: padded.slice(0, at), fraction: padded.slice(at) };
}

function round(value: number, decimals: number, ties: 'away' | 'even'): number {
  if (!Number.isFinite(value)) return value;
  const { negative, whole, fraction } = decimalText(value);
  const kept = whole + fraction.slice(0, decimals).padEnd(decimals, '0');
  const rest = fraction.slice(decimals);
  const half = rest.length > 0 && rest.startsWith('5') && /^5?0*$/.test(rest);
  const up = rest.length > 0 && (half ? ties === 'away' || Number(kept.at(-1)) % 2 === 1 : rest.charAt(0) >= '5');
  const scaled = BigInt(kept) + (up ? 1n : 0n);
  const text = scaled.toString().padStart(decimals + 1, '0');
  const result = Number(decimals === 0 ? text : `${text.slice(0, -decimals)}.${text.slice(-decimals)}`);
  return negative && result !== 0 ? -result : result;
}

/** Rounds on the decimal text, halves away from zero, as people expect: 1.005 to two decimals is 1.01. Never gives −0. */
export const roundHalfAway = (value: number, decimals = 0): number => round(value, decimals, 'away');

/** Rounds on the decimal text, halves to the even neighbour. Never gives −0. */
export const roundHalfEven = (value: number, decimals = 0): number => round(value, decimals, 'even');
