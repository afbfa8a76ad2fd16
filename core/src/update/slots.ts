import { crc32 } from '../serial';

/** One of a board's two places for an image. */
export type SlotNumber = 0 | 1;

/**
 * What the boot loader reads at every start: the slot whose image has reported in, and the one that is on trial. Kept twice, so
 * that a write that is cut off leaves the one before.
 */
export interface SlotMark {
  readonly sequence: number;
  /** The slot to fall back to. Never erased, never written. */
  readonly good: SlotNumber;
  /** The image in the other slot is to be tried. */
  readonly trial: boolean;
  /** Starts that the trial has had. */
  readonly tries: number;
}

/** Bytes of a mark in flash. */
export const MARK_BYTES = 16;
const MAGIC = 0x44575031;
/** Starts that an image gets to report in: a second one, since the first may be cut short by the supply. */
export const TRIAL_STARTS = 2;

/** A board that was never updated: slot 0 holds its image. */
export const FACTORY_MARK: SlotMark = { sequence: 0, good: 0, trial: false, tries: 0 };

export const otherSlot = (slot: SlotNumber): SlotNumber => (slot === 0 ? 1 : 0);

/** A mark as it stands in flash: magic, sequence, good, trial, tries, a spare byte, CRC-32 of all before; little-endian. */
export function encodeMark(mark: SlotMark): Uint8Array {
  const bytes = new Uint8Array(MARK_BYTES);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, mark.sequence, true);
  bytes[8] = mark.good;
  bytes[9] = Number(mark.trial);
  bytes[10] = mark.tries;
  view.setUint32(12, crc32(bytes.subarray(0, 12)), true);
  return bytes;
}

function decodeMark(bytes: Uint8Array): SlotMark | null {
  if (bytes.length < MARK_BYTES) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, MARK_BYTES);
  if (view.getUint32(0, true) !== MAGIC || view.getUint32(12, true) !== crc32(bytes.subarray(0, 12))) return null;
  return { sequence: view.getUint32(4, true), good: bytes[8] === 1 ? 1 : 0, trial: bytes[9] === 1, tries: bytes[10] ?? 0 };
}

/** The newer of the two copies that is whole; the factory's where neither is. */
export function readMark(copies: readonly [Uint8Array, Uint8Array]): SlotMark {
  const whole = copies.map(decodeMark).filter((mark) => mark !== null);
  return whole.reduce((newest, mark) => (mark.sequence > newest.sequence ? mark : newest), FACTORY_MARK);
}

/** Which of the two copies a mark is kept in: never that of the mark before it. */
export const copyOf = (mark: SlotMark): 0 | 1 => (mark.sequence % 2 === 0 ? 0 : 1);

const next = (mark: SlotMark, change: Partial<SlotMark>): SlotMark => ({ ...mark, ...change, sequence: mark.sequence + 1 });

/** What the loader does at a start: which slot, and the mark to write before it starts it (`null`: none). A try is counted before it is made. */
export function bootFrom(mark: SlotMark): { slot: SlotNumber; write: SlotMark | null } {
  if (!mark.trial) return { slot: mark.good, write: null };
  if (mark.tries < TRIAL_STARTS) return { slot: otherSlot(mark.good), write: next(mark, { tries: mark.tries + 1 }) };
  return { slot: mark.good, write: next(mark, { trial: false, tries: 0 }) };
}

/** A proved image in the spare slot is put on trial. */
export const putOnTrial = (mark: SlotMark): SlotMark => next(mark, { trial: true, tries: 0 });

/** The image on trial has reported in: it is the good one from now on. */
export const keepTrial = (mark: SlotMark): SlotMark =>
  mark.trial ? next(mark, { good: otherSlot(mark.good), trial: false, tries: 0 }) : mark;

/** The image on trial is given up (it could not report in): the next start is the good one's. */
export const giveUpTrial = (mark: SlotMark): SlotMark => (mark.trial ? next(mark, { trial: false, tries: 0 }) : mark);

/** The slot that may be erased and written now: never the good one, and none while a trial is on. */
export const writableSlot = (mark: SlotMark): SlotNumber | null => (mark.trial ? null : otherSlot(mark.good));
