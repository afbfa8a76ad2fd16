import fc from 'fast-check';
import {
  bootFrom,
  copyOf,
  encodeMark,
  giveUpTrial,
  keepTrial,
  MARK_BYTES,
  otherSlot,
  putOnTrial,
  readMark,
  TRIAL_STARTS,
  writableSlot,
  type SlotMark,
  type SlotNumber,
} from '.';

/** A board's flash as it really behaves: a write that is cut short leaves its first bytes. */
class Flash {
  copies: [Uint8Array, Uint8Array] = [new Uint8Array(MARK_BYTES), new Uint8Array(MARK_BYTES)];
  /** What lies in the slots: an image by name, or `torn`. */
  slots: [string, string] = ['factory', 'torn'];
  reported = new Set(['factory']);
  /** The slot whose image runs; `null`: no power. */
  running: SlotNumber | null = null;

  get mark(): SlotMark {
    return readMark(this.copies);
  }
  write(mark: SlotMark, cutAfter: number): boolean {
    const bytes = encodeMark(mark);
    this.copies[copyOf(mark)].set(bytes.subarray(0, cutAfter));
    return cutAfter >= MARK_BYTES;
  }
}

const operations = fc.array(
  fc.record({
    what: fc.constantFrom('fetch', 'try', 'boot', 'report', 'give-up', 'power'),
    /** Bytes of a mark that reach the flash before the supply goes; most writes are whole. */
    cut: fc.oneof({ weight: 2, arbitrary: fc.constant(MARK_BYTES) }, { weight: 1, arbitrary: fc.nat(MARK_BYTES - 1) }),
    whole: fc.boolean(),
  }),
  { maxLength: 40 },
);

describe('the slots of a board', () => {
  function start(flash: Flash, cut = MARK_BYTES): void {
    const { slot, write } = bootFrom(flash.mark);
    flash.running = null;
    if (write === null || flash.write(write, cut)) flash.running = slot;
  }
  function apply(flash: Flash, { what, cut, whole }: { what: string; cut: number; whole: boolean }, n: number): void {
    const { mark } = flash;
    const change = (to: SlotMark): void => {
      if (to !== mark && !flash.write(to, cut)) flash.running = null;
    };
    if (what === 'power') flash.running = null;
    else if (what === 'boot' || flash.running === null) start(flash, cut);
    else if (what === 'fetch') {
      const slot = writableSlot(mark);
      if (slot === null) return;
      expect(slot).not.toBe(mark.good);
      flash.slots[slot] = whole ? `image ${n}` : 'torn';
      if (!whole) flash.running = null;
    } else if (what === 'try') {
      // The digest is proved before a trial: what is torn is never put on trial.
      if (!mark.trial && flash.slots[otherSlot(mark.good)] !== 'torn') change(putOnTrial(mark));
    } else if (what === 'report' && mark.trial && flash.running !== mark.good) {
      change(keepTrial(mark));
      if (flash.mark.good === flash.running) flash.reported.add(flash.slots[flash.mark.good]);
      else if (flash.running !== null) throw new Error('kept and not good');
    } else if (what === 'give-up') change(giveUpTrial(mark));
  }

  it('whatever power losses there are, it ends in an image that starts, and unreported ones fall back', () => {
    fc.assert(
      fc.property(operations, (list) => {
        const flash = new Flash();
        start(flash);
        for (const [n, operation] of list.entries()) {
          apply(flash, operation, n);
          expect(flash.reported).toContain(flash.slots[flash.mark.good]);
          if (flash.running !== null) expect(flash.slots[flash.running]).not.toBe('torn');
        }
        // Left alone, with nothing reporting in: at most the trial's starts, then the good image for ever.
        for (let i = 0; i <= TRIAL_STARTS; i++) {
          start(flash);
          expect(flash.slots[flash.running!]).not.toBe('torn');
        }
        expect(flash.running).toBe(flash.mark.good);
        expect(flash.reported).toContain(flash.slots[flash.running!]);
      }),
      { numRuns: 2000 },
    );
  });

  it('tries an image twice, keeps it once it has reported in, and then falls back to it', () => {
    let mark = putOnTrial(readMark([new Uint8Array(16), new Uint8Array(16)]));
    const slots: number[] = [];
    for (let i = 0; i < 4; i++) {
      const { slot, write } = bootFrom(mark);
      mark = write ?? mark;
      slots.push(slot);
    }
    expect(slots).toEqual([1, 1, 0, 0]);
    const kept = keepTrial(bootFrom(putOnTrial(mark)).write!);
    expect(bootFrom(kept)).toEqual({ slot: 1, write: null });
    expect([writableSlot(kept), writableSlot(putOnTrial(kept))]).toEqual([0, null]);
  });
});
