import { formulaNamed } from '@dewpost/core/derive';
import { pairsIn, tankWords } from './tank-words';

const words = (id: string, figures: Record<string, number> = {}, pairs: [number, number][] = []): string | null =>
  tankWords(formulaNamed(id)!, figures, pairs);

describe('what a tank holds, in words', () => {
  it('is told full where its shape ends, and at a metre where it goes on', () => {
    // A sphere of a metre: π/6 m³; halfway up a centimetre is a slice of 7854 cm².
    expect(words('tank-sphere', { diameter: 100 })).toBe('Full, at 100 cm, it holds 524 l; a centimetre halfway up is 7.9 l.');
    expect(words('tank-box', { length: 100, width: 50 })).toBe('At 100 cm it holds 500 l; a centimetre halfway up is 5.0 l.');
  });
  it('is nothing that is said of a soil, of a share, or of a table that is not there yet', () => {
    expect([words('plant-available'), words('share-of-full'), words('tank-table'), words('sum')]).toEqual([null, null, null, null]);
  });
});

describe('a table as it is typed', () => {
  it('is two figures a line, apart by spaces, tabs or a semicolon; anything else is none', () => {
    expect(pairsIn('0 0\n40;180\n\n 90\t480 ')).toEqual([
      [0, 0],
      [40, 180],
      [90, 480],
    ]);
    expect(pairsIn('')).toEqual([]);
    expect([pairsIn('0'), pairsIn('0 0 0'), pairsIn('0 full')]).toEqual([null, null, null]);
  });
});
