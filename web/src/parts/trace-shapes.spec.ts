import { bandShapes, endLabels, type Scale, type TraceBand } from './trace-shapes';

const BAND: TraceBand = { unit: '%', side: 'high', setpoint: 60, severity: 'warning', clearLevel: 55 };
const shapes = (change: Partial<TraceBand> = {}, scale: Scale = { axis: 0, range: [40, 80] }) =>
  bandShapes({ ...BAND, ...change }, scale, (name) => name);

describe('a limit on its axis', () => {
  it('fills from the setpoint to the end of the scale it warns of, and is broken where it clears', () => {
    const [fill, line, clear] = shapes();
    expect(fill).toMatchObject({ type: 'rect', y0: 60, y1: 80, yref: 'y', fillcolor: '--rust' });
    expect(line).toMatchObject({ type: 'line', y0: 60, y1: 60, line: { color: '--rust' } });
    expect(clear).toMatchObject({ y0: 55, y1: 55, line: { dash: 'dash' } });
    expect(shapes({ side: 'low' })[0]).toMatchObject({ y0: 60, y1: 40 });
    expect(shapes({ clearLevel: undefined })).toHaveLength(2);
  });
  it('lies on its own axis; off the scale it is not drawn', () => {
    expect(shapes({ setpoint: 20, clearLevel: 18 }, { axis: 1, range: [0, 30] })[0]).toMatchObject({ yref: 'y2', y1: 30 });
    expect(shapes({ setpoint: 81 })).toEqual([]);
    expect(shapes({ side: 'low', setpoint: 39 })).toEqual([]);
  });
});

describe('names at the ends of lines', () => {
  const ends = (...of: [label: string, y: number][]) =>
    endLabels(
      of.map(([label, y]) => ({ label, y, colour: '--s1' })),
      { axis: 1, height: 150, range: [0, 100] },
    );
  it('stand where their lines end, kept fifteen points apart, in the order of the lines', () => {
    const labels = ends(['upper', 51], ['lower', 50], ['far', 90]);
    expect(labels.map(({ text }) => text)).toEqual(['lower', 'upper', 'far']);
    expect(labels.map(({ y }) => y)).toEqual([50, 60, 90]);
    expect(labels.every(({ yref }) => yref === 'y2')).toBe(true);
  });
  it('are words and no markup', () => expect(ends(['<b>loft</b> & co', 1])[0]!.text).not.toMatch(/[<>&]/));
});
