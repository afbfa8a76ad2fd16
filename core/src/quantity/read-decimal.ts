const DECIMAL = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;
const WITH_COMMA = /^[+-]?\d*,\d+$/;

/** The decimal number that a text is, with a full stop; `comma`: it would be one with its decimal comma; `null`: it is none, or beyond what can be held. */
export function readDecimal(text: string): number | 'comma' | null {
  if (WITH_COMMA.test(text)) return 'comma';
  const number = DECIMAL.test(text) ? Number(text) : NaN;
  return Number.isFinite(number) ? number : null;
}
