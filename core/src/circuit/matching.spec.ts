import fc from 'fast-check';
import { assignPins, cheapestMatching } from '.';
import { draftOf, shipped } from './shipped.testing';

const INF = Infinity;

/** Every way to serve all rows, tried one by one: slow and surely right. */
function byTrying(costs: readonly (readonly number[])[]): number {
  const go = (row: number, used: ReadonlySet<number>): number => {
    const line = costs[row];
    if (!line) return 0;
    return Math.min(
      INF,
      ...line.map((cost, column) => (used.has(column) || cost === INF ? INF : cost + go(row + 1, new Set([...used, column])))),
    );
  };
  return go(0, new Set());
}

describe('matching', () => {
  const matrix = fc.tuple(fc.integer({ min: 1, max: 5 }), fc.integer({ min: 1, max: 6 })).chain(([rows, columns]) =>
    fc.array(fc.array(fc.oneof(fc.integer({ min: 0, max: 9 }), fc.constant(INF)), { minLength: columns, maxLength: columns }), {
      minLength: rows,
      maxLength: rows,
    }),
  );
  it('costs what trying every way finds, or names a smallest set of rows that cannot be served', () => {
    fc.assert(
      fc.property(matrix, (costs) => {
        const found = cheapestMatching(costs);
        const best = byTrying(costs);
        expect(found.ok).toBe(best < INF);
        if (found.ok) {
          expect(found.cost).toBe(best);
          expect(new Set(found.columns).size).toBe(costs.length);
          return;
        }
        const rows = found.rows.map((row) => costs[row]!);
        const open = new Set(rows.flatMap((row) => row.flatMap((cost, i) => (cost < INF ? [i] : []))));
        // Hall: one column too few for them, and enough for any without one.
        expect(open.size).toBe(rows.length - 1);
        for (let i = 0; i < rows.length; i++) expect(byTrying(rows.toSpliced(i, 1))).toBeLessThan(INF);
      }),
      { numRuns: 500, seed: 7 },
    );
  });
  it('takes nothing to match for done', () => {
    expect(cheapestMatching([])).toEqual({ ok: true, columns: [], cost: 0 });
  });
});

describe('pins', () => {
  it('four soil probes and one light sensor share one bus: the free address is found', () => {
    const parts = ['soil-i2c', 'soil-i2c', 'soil-i2c', 'soil-i2c', 'light-i2c'].map((part, i) => ({ ref: `p${i}`, part }));
    for (const order of [parts, parts.toReversed()]) {
      const result = assignPins(draftOf(order), shipped);
      if (!result.ok) throw new Error(result.why);
      expect(result.assignment.lines.map((line) => line.id)).toEqual(['i2c-1.data', 'i2c-1.clock']);
      expect(new Set(result.assignment.addresses.values()).size).toBe(5);
    }
  });
  it('those of the version before are kept where they serve, so that built nodes stay right', () => {
    const parts = [
      { ref: 'air', part: 'climate-i2c' },
      { ref: 'door', part: 'reed-open' },
    ];
    const given = { 'i2c-1.data': '19', 'i2c-1.clock': '23', 'door.contact': '33', 'air.address': '69' };
    const result = assignPins(draftOf([...parts, { ref: 'bed', part: 'soil-analog' }], { given }), shipped);
    if (!result.ok) throw new Error(result.why);
    expect(Object.fromEntries(result.assignment.pins)).toMatchObject({ 'i2c-1.data': '19', 'i2c-1.clock': '23', 'door.contact': '33' });
    expect(result.assignment.addresses.get('air')).toBe(69);
    // A pin that does not serve is not kept.
    const wrong = assignPins(draftOf(parts, { given: { 'door.contact': '6' } }), shipped);
    expect(wrong.ok && wrong.assignment.pins.get('door.contact')).not.toBe('6');
  });
  it('serial parts go to ports that the board has, both wires to one of them, never to the one it is written through', () => {
    const radar = (count: number) => Array.from({ length: count }, (_, i) => ({ ref: `r${i}`, part: 'presence-radar' }));
    const at = (board: string, count: number) => assignPins(draftOf(radar(count), { board }), shipped);
    const three = at('wifi-dual-38', 3);
    expect(three.ok).toBe(false);
    if (!three.ok) {
      expect(three.conflict).toEqual(['r0', 'r1', 'r2']);
      expect(three.why).toMatch(/3 serial parts and the board has 2 ports besides the one it is written through/);
    }
    const pair = at('wifi-mcu-40', 2);
    if (!pair.ok) throw new Error(pair.why);
    const unit = (pin: string | undefined): number => ([0, 1, 12, 13, 16, 17].includes(Number(pin)) ? 0 : 1);
    for (const ref of ['r0', 'r1'])
      expect(unit(pair.assignment.pins.get(`${ref}.line-in`))).toBe(unit(pair.assignment.pins.get(`${ref}.line-out`)));
    const single = at('wifi-single-small', 1);
    expect(single.ok && [...single.assignment.pins]).toEqual([
      ['r0.line-in', '13'],
      ['r0.line-out', '15'],
    ]);
    const computer = assignPins(draftOf([{ ref: 'a', part: 'climate-i2c' }], { board: 'small-computer' }), shipped);
    expect(computer.ok && Object.fromEntries(computer.assignment.pins)).toEqual({ 'i2c-1.data': '2', 'i2c-1.clock': '3' });
  });
});
