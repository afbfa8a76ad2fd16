import { instrumentFault, isOverdue, type ReferenceInstrument } from '.';

const GLASS: ReferenceInstrument = { name: 'Glass thermometer', unit: '°C', low: -10, high: 60, uncertainty: 0.1, dueAt: 1000 };
const capture = (reference: number) => ({ reference, raw: 21 });

describe('a reference instrument', () => {
  it('vouches for what it can show, its ends included, and for nothing beyond', () => {
    expect(instrumentFault(GLASS, '°C', [capture(-10), capture(21.4), capture(60)])).toBeNull();
    expect(instrumentFault(GLASS, '°C', [capture(21), capture(60.1)])).toMatch(/shows -10 to 60 °C: 60.1 °C is outside/);
  });
  it('vouches for no other unit', () => {
    expect(instrumentFault(GLASS, '%', [capture(50)])).toMatch(/shows °C, and % is wanted/);
    expect(instrumentFault({ ...GLASS, unit: '' }, '°C', [])).toMatch(/shows no unit/);
  });
  it('is overdue once its day is past, and never where nobody has said one', () => {
    expect([isOverdue(GLASS, 1000), isOverdue(GLASS, 1001), isOverdue({ dueAt: null }, 1e15)]).toEqual([false, true, false]);
  });
});
