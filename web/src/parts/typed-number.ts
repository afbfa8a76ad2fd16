/** The number that was typed into a field; `null`: none, or not one yet. */
export function typedNumber(text: string): number | null {
  const number = text.trim() === '' ? NaN : Number(text);
  return Number.isFinite(number) ? number : null;
}
