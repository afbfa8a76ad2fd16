import type { SheetDraft } from './draft';
import { feedOf, type BoardProfile, type PartProfile, type SupplyProfile } from '../profile';

/** A voltage that is there on a node, and the net it is on. */
export interface Rail {
  readonly net: string;
  readonly volts: readonly [number, number];
  readonly kind: 'logic' | 'supply' | 'source';
}

export const GROUND = 'board ground';
export const SUPPLY_PLUS = 'supply +';
export const SUPPLY_MINUS = 'supply −';
export const SOURCE_PLUS = 'supply + before the step-down';
export const logicNet = (board: Pick<BoardProfile, 'logicVolts'>): string => `board ${board.logicVolts} V`;

/** Does a supply reach the board at its logic-volts pin, past the board's own regulator? */
export const feedsLogic = (board: BoardProfile, supply: SupplyProfile): boolean =>
  board.logicInput && supply.volts[0] >= board.logicVolts - 0.05 && supply.volts[1] <= board.logicVolts + 0.05;

/** Every rail of a node: logic first, then what its supply gives, then what lies before its step-down. */
export function railsOf(board: BoardProfile, supply: SupplyProfile): Rail[] {
  const rails: Rail[] = [{ net: logicNet(board), volts: [board.logicVolts, board.logicVolts], kind: 'logic' }];
  if (!feedsLogic(board, supply)) rails.push({ net: SUPPLY_PLUS, volts: supply.volts, kind: 'supply' });
  if (supply.sourceVolts) rails.push({ net: SOURCE_PLUS, volts: supply.sourceVolts, kind: 'source' });
  return rails;
}

/** Is every voltage of the rail one that the part takes? */
const serves = (rail: Rail, part: PartProfile): boolean =>
  rail.volts[0] >= part.supplyVolts[0] - 1e-9 && rail.volts[1] <= part.supplyVolts[1] + 1e-9;

/** The rail that a part is fed from, the lowest that serves it; `null`: none does, or it needs none. */
export function railFor(part: PartProfile, board: BoardProfile, supply: SupplyProfile): Rail | null {
  const fed = feedOf(part);
  if (fed !== 'supply' && fed !== 'resistor' && !(fed === 'pin' && part.output)) return null;
  return railsOf(board, supply).find((rail) => serves(rail, part)) ?? null;
}

/** Is this part without power while the node sleeps: its feed is switched, or the node is cut off altogether? */
export const isSwitched = (place: SheetDraft['parts'][number]): boolean => place.feed !== undefined && place.feed !== 'always';
