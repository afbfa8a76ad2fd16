/**
 * What bends a conversion: a square term, `about` a raw value in the middle of its captures; a table of [raw, value] with rising raw values
 * that is followed in straight pieces; or a whole turn (360 of a direction), past which it begins anew at zero.
 */
export type Curve =
  | { readonly square: number; readonly about: number }
  | { readonly table: readonly (readonly [raw: number, value: number])[] }
  | { readonly turn: number };

/** value = gain · raw + offset, or what its curve says; of a table gain and offset are those of the line through its ends. */
export interface Coefficients {
  readonly gain: number;
  readonly offset: number;
  readonly curve?: Curve | null | undefined;
}

/** What converts the raw values from `from` up to below `to`: value = (square · raw + gain) · raw + offset. */
export interface Piece {
  readonly from: number;
  readonly to: number;
  readonly square: number;
  readonly gain: number;
  readonly offset: number;
  /** What the result is taken within, from zero on; `null`: it may be anything. */
  readonly turn: number | null;
}

/** A conversion in pieces, in order, without gaps from minus to plus infinity: past its ends a table goes on as its last piece does. */
export function piecesOf({ gain, offset, curve }: Coefficients): readonly Piece[] {
  const everywhere = { from: -Infinity, to: Infinity, square: 0, gain, offset, turn: null };
  if (!curve) return [everywhere];
  if ('square' in curve) return [{ ...everywhere, square: curve.square }];
  if ('turn' in curve) return [{ ...everywhere, turn: curve.turn }];
  const known = PIECES_OF.get(curve);
  if (known) return known;
  const { table } = curve;
  const pieces = table.slice(1).map(([raw, value], i): Piece => {
    const [before, from] = table[i] ?? [raw, value];
    const slope = (value - from) / (raw - before);
    const last = i === table.length - 2;
    return {
      from: i === 0 ? -Infinity : before,
      to: last ? Infinity : raw,
      square: 0,
      gain: slope,
      offset: from - slope * before,
      turn: null,
    };
  });
  PIECES_OF.set(curve, pieces);
  return pieces;
}
/** A table of a law has two hundred: they are made once, not for every reading. */
const PIECES_OF = new WeakMap<Curve, readonly Piece[]>();

/** The piece that a raw value lies in, by halving; `undefined` for what is no number. */
function pieceAt(coefficients: Coefficients, raw: number): Piece | undefined {
  const pieces = piecesOf(coefficients);
  let [low, high] = [0, pieces.length - 1];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (raw >= (pieces[middle]?.from ?? Infinity)) low = middle;
    else high = middle - 1;
  }
  return Number.isNaN(raw) ? undefined : pieces[low];
}

/** The same direction, from zero on to below a whole turn. */
export const withinTurn = (value: number, turn: number): number => value - turn * Math.floor(value / turn);

/** A raw value as the point's unit has it. */
export function calibrated(coefficients: Coefficients, raw: number): number {
  const { gain, offset, curve } = coefficients;
  if (!curve) return gain * raw + offset;
  const piece = pieceAt(coefficients, raw);
  if (!piece) return NaN;
  const value = (piece.square * raw + piece.gain) * raw + piece.offset;
  return piece.turn === null ? value : withinTurn(value, piece.turn);
}

/**
 * The raw value that becomes a value: what its node would have sent. Of a parabola's two the one on the side of its captures; beyond its top
 * that of the top.
 */
export function rawOf(coefficients: Coefficients, value: number): number {
  const { gain, offset, curve } = coefficients;
  if (curve && 'square' in curve && curve.square !== 0) {
    const under = gain * gain - 4 * curve.square * (offset - value);
    const side = Math.sign(2 * curve.square * curve.about + gain);
    return (-gain + side * Math.sqrt(Math.max(0, under))) / (2 * curve.square);
  }
  if (curve && 'turn' in curve) return withinTurn((value - offset) / gain, curve.turn / gain);
  const pieces = piecesOf(coefficients);
  for (const { from, to, gain: steep, offset: shift } of pieces) {
    const raw = (value - shift) / steep;
    if (raw >= from && raw < to) return raw;
  }
  return (value - offset) / gain;
}

/** How steep it is at a raw value. */
export function slopeAt(coefficients: Coefficients, raw: number): number {
  const piece = pieceAt(coefficients, raw);
  return piece ? 2 * piece.square * raw + piece.gain : coefficients.gain;
}

/** The same conversion, all of it higher by `by`. */
export function shifted({ gain, offset, curve }: Coefficients, by: number): Coefficients {
  if (!curve) return { gain, offset: offset + by };
  if ('square' in curve) return { gain, offset: offset + by, curve };
  if ('turn' in curve) return { gain, offset: withinTurn(offset + by, curve.turn), curve };
  return { gain, offset: offset + by, curve: { table: curve.table.map(([raw, value]) => [raw, value + by] as const) } };
}
