import jsQR from 'jsqr';
import { qrCells } from '../parts/qr-cells';
import { LABEL_SHEETS, labelPlaces } from './label-sheet';

/** The code as a camera would give it: four points a cell, with the quiet zone the standard asks for. */
function picture(cells: boolean[][]): { data: Uint8ClampedArray; side: number } {
  const [scale, quiet] = [4, 4];
  const side = (cells.length + 2 * quiet) * scale;
  const data = new Uint8ClampedArray(side * side * 4).fill(255);
  cells.forEach((row, y) =>
    row.forEach((dark, x) => {
      if (!dark) return;
      for (let dy = 0; dy < scale; dy++)
        for (let dx = 0; dx < scale; dx++) {
          const at = (((y + quiet) * scale + dy) * side + (x + quiet) * scale + dx) * 4;
          data[at] = data[at + 1] = data[at + 2] = 0;
        }
    }),
  );
  return { data, side };
}

describe('labels', () => {
  it('carry codes that another library reads back', () => {
    for (const text of ['http://192.168.7.10:8480/upkeep/loft-cable-1', 'https://dew.example/upkeep/a', `x${'0123456789'.repeat(8)}`]) {
      const { data, side } = picture(qrCells(text).cells);
      expect(jsQR(data, side, side)?.data).toBe(text);
    }
  });
  it('lie on the paper, side by side and not on each other, and go on to the next page', () => {
    for (const sheet of LABEL_SHEETS) {
      const perPage = sheet.columns * sheet.rows;
      const places = labelPlaces(sheet, perPage + 1, 0);
      expect(places.at(-1)).toMatchObject({ page: 1, x: places[0]!.x, y: places[0]!.y });
      for (const [i, a] of places.slice(0, perPage).entries()) {
        expect(a.x).toBeGreaterThanOrEqual(0);
        expect(a.x + a.width).toBeLessThanOrEqual(sheet.widthMm + 1e-9);
        expect(a.y + a.height).toBeLessThanOrEqual(sheet.heightMm + 1e-9);
        for (const b of places.slice(i + 1, perPage))
          expect(
            a.x + a.width <= b.x + 1e-9 || b.x + b.width <= a.x + 1e-9 || a.y + a.height <= b.y + 1e-9 || b.y + b.height <= a.y + 1e-9,
          ).toBe(true);
      }
    }
  });
  it('fit the common pre-cut sheets: 24 of 63.5 by 33.9 mm, 10 of 99.1 by 57 mm, a roll of 62 by 29 (common practice, from memory)', () => {
    const cut = (name: string): number[] => {
      const [place] = labelPlaces(
        LABEL_SHEETS.find((sheet) => sheet.name === name)!,
        1,
        0,
      );
      return [place!.width, place!.height];
    };
    for (const [name, width, height] of [
      ['A4, 3 by 8', 63.5, 33.9],
      ['A4, 2 by 5', 99.1, 57],
    ] as const) {
      expect(Math.abs(cut(name)[0]! - width)).toBeLessThan(0.3);
      expect(Math.abs(cut(name)[1]! - height)).toBeLessThan(0.3);
    }
    // The last of a page lies where it was cut: half a millimetre off after ten labels at most.
    const tenth = labelPlaces(
      LABEL_SHEETS.find((sheet) => sheet.name === 'A4, 2 by 5')!,
      10,
      0,
    )[9]!;
    expect([tenth.x, tenth.y].map((mm) => Math.round(mm * 10) / 10)).toEqual([106.3, 234]);
  });
  it('leave places free that were used up before', () => {
    const [sheet] = LABEL_SHEETS;
    expect(labelPlaces(sheet!, 1, 4)[0]).toEqual(labelPlaces(sheet!, 5, 0)[4]);
  });
});
