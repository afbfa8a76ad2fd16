import type { CoverageGrid } from '@dewpost/core/radio';
import { draftShape, soundingFigures, staffTicks, type View } from './chart-figures';

const VIEW: View = { left: 0, top: 0, scale: 10 };
const SIZE = { width: 400, height: 300 };

describe('soundings of the chart', () => {
  const grid = { left: 0, top: 0, cellMetres: 1, columns: 20, rows: 30 } as CoverageGrid;
  const margins = (of: (x: number, y: number) => number): Float32Array =>
    Float32Array.from({ length: grid.columns * grid.rows }, (_, i) => of(i % grid.columns, Math.floor(i / grid.columns)));
  const figures = (of: (x: number, y: number) => number, boxes: Parameters<typeof soundingFigures>[3] = []) =>
    soundingFigures({ grid, margins: margins(of) }, VIEW, SIZE, boxes);

  it('are the margins of their own cells, whole dB, the short ones told apart', () => {
    for (const { x, text, short } of figures((column) => column - 5.4)) {
      const margin = Math.floor(x / 10) - 5.4;
      expect([text, short]).toEqual([Math.round(margin).toFixed(0).replace('-', '−'), margin < 0]);
    }
    expect(figures((column) => column - 5.4).length).toBeGreaterThan(10);
  });
  it('stand nowhere beyond the grid, where nothing is heard, or on what is written there already', () => {
    expect(figures(() => 12).every(({ x }) => x < 200)).toBe(true);
    expect(figures(() => -61)).toEqual([]);
    expect(figures(() => 12, [{ x: 0, y: 0, width: 400, height: 300 }])).toEqual([]);
  });
});

describe('the staff along the edges', () => {
  it.each([
    [10, 5],
    [45, 1],
    [2, 50],
    [0.01, 1000],
  ])('at %d points a metre it steps by %d m', (scale, step) => {
    const { across } = staffTicks({ left: 3.2, top: 0, scale }, SIZE);
    expect(across.every(({ at }) => at % step === 0)).toBe(true);
    for (const { at, px } of across) expect(px).toBeCloseTo((at - 3.2) * scale, 6);
    expect(across.every(({ px }) => px >= 0 && px <= SIZE.width - 6)).toBe(true);
  });
});

describe('what is being drawn', () => {
  it('a line says how long its last piece is; a zone has its corners in order, whichever way it is drawn', () => {
    const line = draftShape(
      {
        spots: [
          [0, 0],
          [3, 0],
        ],
        hover: [3, 4],
      },
      false,
      VIEW,
    );
    expect([line.d, line.far?.text, line.zone]).toEqual(['M0 0L30 0L30 40', '4.00 m', null]);
    const zone = draftShape({ spots: [[5, 6]], hover: [2, 8] }, true, VIEW);
    expect(zone.zone).toEqual({ x: 20, y: 60, width: 30, height: 20 });
    expect(zone.d).toBe('');
    expect(draftShape({ spots: [], hover: null }, false, VIEW)).toEqual({ zone: null, d: '', spots: [], far: null });
  });
});
