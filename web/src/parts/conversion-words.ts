import type { Coefficients } from '@dewpost/core/calibration';
import { counted } from '@dewpost/core/quantity';

const plain = (value: number, digits = 5): string => String(Number(value.toPrecision(digits))).replace('-', '−');

/** How raw becomes value, in words: "raw × 2 + 3", with a square where it bends, or the table that is followed. */
export function conversionWords({ gain, offset, curve }: Coefficients): string {
  if (curve && 'table' in curve) return `a table of ${counted(curve.table.length, 'pair')}, straight between them`;
  const square = curve && 'square' in curve ? `raw² × ${plain(curve.square)} + ` : '';
  const shift = `${offset < 0 ? '− ' : '+ '}${plain(Math.abs(offset), 4)}`;
  if (curve && 'turn' in curve) return `${gain === 1 ? 'raw' : `raw × ${plain(gain)}`} ${shift}, from 0 to ${curve.turn}`;
  return gain === 1 && square === '' ? `raw ${shift}` : `${square}raw × ${plain(gain)} ${shift}`;
}
