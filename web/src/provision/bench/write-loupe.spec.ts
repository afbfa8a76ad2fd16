import type { Job } from './job';
import { loupeOf } from './write-loupe';

const NOW = 1_800_000_000_000;
const job = (change: Partial<Job> = {}): Job => ({
  ...{ node: 'roof-rain', port: 1, after: null, run: 1, step: 'write', written: 0, rate: null, left: null },
  ...{ windowEnds: null, erasing: null, hand: null, flash: null, log: [], failure: null },
  ...change,
});
const flash = {
  bytes: 4 * 1024 * 1024,
  parts: [
    { file: 'start', at: 0, bytes: 16_384 },
    { file: 'application', at: 0x10000, bytes: 1_048_576 },
  ],
  configuration: { at: 0x3f0000, bytes: 4096 },
};

describe('what is opened of a board that is being written', () => {
  it('is the clock while it erases, never past the post where it is stuck', () => {
    const at = (ms: number) => loupeOf(job({ erasing: { since: NOW - ms, longestMs: 30_000 } }), NOW);
    expect([at(0)?.at, at(15_000)?.at, at(99_000)?.at, at(-50)?.at]).toEqual([0, 235, 470, 0]);
    expect([at(0)?.post, at(0)?.ticks.at(-1)?.text]).toEqual([true, '30']);
  });
  it('is the time that writing takes, from how far it is and what is left', () => {
    const staff = loupeOf(job({ written: 0.75, rate: 41_000, left: 5 }), NOW);
    expect([staff?.at, staff?.ticks.at(-1)?.text, staff?.words]).toEqual([352.5, '20 s', '41 kB/s, 5 s left']);
    expect(loupeOf(job(), NOW)).toBeNull();
  });
  it('is where its parts lie once they are proved, the configuration among them, within the flash', () => {
    const staff = loupeOf(job({ step: 'configure', flash }), NOW)!;
    expect(staff.title).toBe('Proved by the chip');
    expect(staff.parts.map(({ configuration }) => configuration)).toEqual([false, false, true]);
    for (const { x, width } of staff.parts) expect(x + width).toBeLessThanOrEqual(470);
    expect(staff.ticks.map(({ text }) => text)).toEqual(['0 MB', '1 MB', '2 MB', '3 MB', '4 MB']);
    expect(loupeOf(job({ step: 'digest', flash }), NOW)?.title).toBe('Being proved by the chip');
  });
  it('is nothing of a board that holds our loader, nor of one that is through', () => {
    expect(loupeOf(job({ step: 'join' }), NOW)).toBeNull();
    expect(loupeOf(job({ step: 'over', flash }), NOW)).toBeNull();
  });
});
