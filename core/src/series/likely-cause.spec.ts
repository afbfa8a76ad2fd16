import { likelyCause, type NotGood } from '.';

const NOW = Date.UTC(2026, 10, 24, 12);
const of = (change: Partial<NotGood>): NotGood => ({
  ...{ used: 1000, suspect: 0, bad: 0, late: 0, missing: 0, reasons: {}, commonest: null, lastAt: NOW - 5000, now: NOW },
  ...change,
});
const figure = (value: number): string => `${value} %`;
const code = (change: Partial<NotGood>): string => likelyCause(of(change), figure).code;

describe('the likely cause of what is not good', () => {
  it('one same value out of range is a wire, many values are not', () => {
    const off = likelyCause(of({ bad: 40, reasons: { 'out-of-range': 40 }, commonest: { value: 327.7, count: 40 } }), figure);
    expect(off).toMatchObject({ code: 'wire', figure: '327.7 % in 40 of 40' });
    expect(off.next).toMatch(/plug/);
    expect(code({ bad: 40, reasons: { 'out-of-range': 40 }, commonest: { value: 101, count: 3 } })).toBe('range');
    expect(code({ suspect: 33, reasons: { rail: 33 }, commonest: { value: 0, count: 33 } })).toBe('wire');
    expect(code({ suspect: 33, reasons: { rail: 30, spike: 3 }, commonest: { value: 0, count: 10 } })).toBe('rail');
  });
  it('the commonest reason speaks', () => {
    expect(likelyCause(of({ suspect: 12, reasons: { stuck: 10, spike: 2 }, commonest: { value: 61.2, count: 10 } }), figure)).toMatchObject(
      {
        code: 'stuck',
        words: 'Stuck at 61.2 %',
      },
    );
    expect(code({ suspect: 12, reasons: { stuck: 2, spike: 10 } })).toBe('spikes');
  });
  it('more missing than wrong: silent now, or gaps', () => {
    expect(code({ missing: 50, bad: 2, reasons: { 'out-of-range': 2 }, lastAt: NOW - 7_200_000 })).toBe('silent');
    expect(code({ missing: 50, lastAt: null })).toBe('silent');
    expect(likelyCause(of({ missing: 50 }), figure)).toMatchObject({ code: 'gaps', figure: '50 of 1050 missing' });
    expect(code({ missing: 1, bad: 2, reasons: { 'out-of-range': 2 } })).toBe('range');
  });
  it('late alone is late, and nothing is nothing', () => {
    expect(code({ late: 28 })).toBe('late');
    expect(code({})).toBe('none');
  });
  it('its sensor or its supply says so itself', () => {
    expect(code({ suspect: 12, reasons: { supply: 12 } })).toBe('supply');
    expect(code({ bad: 12, reasons: { fault: 12 }, commonest: { value: 85, count: 12 } })).toBe('fault');
  });
  it('nothing wrong, but nobody knows what it is worth: calibrate it', () => {
    expect(code({ calibration: 'missing' })).toBe('calibrate');
    expect(code({ calibration: 'due' })).toBe('calibrate');
    expect(code({ calibration: 'inherited' })).toBe('calibrate');
    expect(code({ calibration: 'in order' })).toBe('none');
    expect(code({ calibration: 'due', late: 3 })).toBe('late');
  });
});
