import fc from 'fast-check';
import { decodeUp, wakeWord, decodeUpBody, RECORDS_PER_MESSAGE, resolveSenml } from '.';

const NOW = Date.UTC(2026, 10, 24, 9);

describe('SenML, by the examples of RFC 8428 §5', () => {
  it('§5.1.1 single data point', () => {
    expect(resolveSenml([{ n: 'urn:dev:ow:10e2073a01080063', u: 'Cel', v: 23.1 }]).records).toEqual([
      { n: 'urn:dev:ow:10e2073a01080063', u: 'Cel', v: 23.1 },
    ]);
  });
  it('§5.1.2 multiple data points: base name, time and unit', () => {
    const { records, faults } = resolveSenml([
      { bn: 'urn:dev:ow:10e2073a0108006:', bt: 1.276020076001e9, bu: 'A', bver: 5, n: 'voltage', u: 'V', v: 120.1 },
      { n: 'current', t: -5, v: 1.2 },
      { n: 'current', t: 0, v: 1.7 },
    ]);
    expect(faults).toEqual([]);
    expect(records).toEqual([
      { n: 'urn:dev:ow:10e2073a0108006:voltage', u: 'V', t: 1276020076.001, v: 120.1 },
      { n: 'urn:dev:ow:10e2073a0108006:current', u: 'A', t: 1276020071.001, v: 1.2 },
      { n: 'urn:dev:ow:10e2073a0108006:current', u: 'A', t: 1276020076.001, v: 1.7 },
    ]);
  });
  it('§5.1.3 base fields change on the way; §5.1.4 times relative to now', () => {
    const { records } = resolveSenml([
      { bn: 'urn:dev:ow:10e2073a01080063', bt: 1.320067464e9, bu: '%RH', v: 20 },
      { u: 'lon', v: 24.30621 },
      { t: 60, v: 20.3 },
      { bn: 'x:', n: 'a', bu: 'Cel', v: 1 },
    ]);
    expect(records.map((r) => [r.n, r.u, r.t])).toEqual([
      ['urn:dev:ow:10e2073a01080063', '%RH', 1320067464],
      ['urn:dev:ow:10e2073a01080063', 'lon', 1320067464],
      ['urn:dev:ow:10e2073a01080063', '%RH', 1320067524],
      ['x:a', 'Cel', 1320067464],
    ]);
    expect(decodeUp('[{"n":"temperature","t":-60,"v":1},{"n":"temperature","v":2}]', 'a', NOW).samples.map((s) => s.at)).toEqual([
      NOW - 60_000,
      null,
    ]);
  });
  it('refuses what must be understood and is not, and keeps the good records beside a bad one', () => {
    const { records, faults } = resolveSenml([
      { n: 'a', v: 1 },
      { n: 'b', v: 'x' },
      { n: 'c', secret_: 1, v: 3 },
      { n: 'd', v: 4, vb: true },
      { n: 'e', v: 5 },
    ]);
    expect(records.map((r) => r.n)).toEqual(['a', 'e']);
    expect(faults.map((f) => f.index)).toEqual([1, 2, 3]);
  });
});

describe('an up message', () => {
  it('takes why a node woke as a word, of that point only, and names the words where it is another', () => {
    const value = (text: string): unknown => {
      const { samples, refusals } = decodeUp(text, 'a', NOW);
      return samples[0]?.value ?? refusals[0]?.why;
    };
    expect(['timer', 'contact', 'button', 'power'].map((word) => value(JSON.stringify([{ n: 'a:woke-by', vs: word }])))).toEqual([
      0, 1, 2, 3,
    ]);
    expect([value('{"woke-by":"contact"}'), value('{"woke-by":2}'), value('[{"n":"woke-by","v":3}]')]).toEqual([1, 2, 3]);
    for (const text of ['{"woke-by":"dream"}', '[{"n":"woke-by","vs":"dream"}]'])
      expect(value(text)).toBe('why it woke is one of timer, contact, button, power');
    expect(value('[{"n":"temperature","vs":"timer"}]')).toBe('not a number: text, data and sums are not stored');
    expect(value('{"temperature":"timer"}')).toBe('not a number');
    expect([wakeWord('woke-by', 2), wakeWord('woke-by', 9), wakeWord('temperature', 2)]).toEqual(['button', null, null]);
  });
  it('takes a plain object, with a time or an age', () => {
    expect(decodeUp('{"temperature":21.3}', 'a', NOW).samples).toEqual([{ point: 'temperature', value: 21.3, at: null }]);
    expect(decodeUp('{"temperature":21.3,"age":2.5}', 'a', NOW).samples[0]?.at).toBe(NOW - 2500);
    expect(decodeUp('{"hatch":true,"time":"2026-11-24T08:59:00Z"}', 'a', NOW).samples).toEqual([
      { point: 'hatch', value: 1, at: NOW - 60_000 },
    ]);
  });
  it('takes off its own name and rounds times to a millisecond', () => {
    expect(decodeUp('[{"bn":"loft-1:","n":"temperature","t":1763978400.0004,"v":3}]', 'loft-1', NOW).samples).toEqual([
      { point: 'temperature', value: 3, at: 1763978400000 },
    ]);
    expect(decodeUp('[{"n":"loft-1/temperature","v":3}]', 'loft-1', NOW).samples[0]?.point).toBe('temperature');
  });
  it('takes a text that is a number for one, in values, times and ages', () => {
    const { samples, refusals } = decodeUp('{"a":"34","b":" -0.5 ","c":"1e3","d":".5","e":"7."}', 'a', NOW);
    expect(samples.map(({ value }) => value)).toEqual([34, -0.5, 1000, 0.5, 7]);
    expect(refusals).toEqual([]);
    expect(decodeUp('{"a":1,"time":"1763978400"}', 'a', NOW).samples[0]?.at).toBe(1763978400000);
    expect(decodeUp('{"a":1,"age":"2"}', 'a', NOW).samples[0]?.at).toBe(NOW - 2000);
  });
  it.each(['', ' ', 'warm', '0x10', '1_000', '1 000', 'Infinity', 'NaN', '1e999', '--1', '12 °C'])(
    'takes no other text for a number: "%s"',
    (text) => {
      expect(decodeUp(JSON.stringify({ a: text }), 'a', NOW)).toEqual({ samples: [], refusals: [{ point: 'a', why: 'not a number' }] });
    },
  );
  it('says how a decimal comma is sent, and takes no thousands for one', () => {
    expect(decodeUp('{"a":"21,5"}', 'a', NOW).refusals).toEqual([{ point: 'a', why: 'a decimal comma: send 21.5' }]);
    expect(decodeUp('{"a":"1.234,5"}', 'a', NOW).refusals).toEqual([{ point: 'a', why: 'not a number' }]);
  });
  it('says what is wrong, a value at a time', () => {
    const { samples, refusals } = decodeUp('{"temperature":"warm","humidity":50}', 'a', NOW);
    expect(samples.map((s) => s.point)).toEqual(['humidity']);
    expect(refusals).toEqual([{ point: 'temperature', why: 'not a number' }]);
    expect(decodeUp('{"temperature":', 'a', NOW).refusals[0]?.why).toMatch(/^not JSON/);
    expect(decodeUp(JSON.stringify(Array(RECORDS_PER_MESSAGE + 1).fill({ n: 'a', v: 1 })), 'a', NOW).refusals[0]?.why).toMatch(
      /at most 1000/,
    );
  });
  it('refuses sums that are no number and times that no clock can say, and keeps what stands beside them', () => {
    const { samples, refusals } = decodeUpBody(
      [
        { n: 'good', v: 1 },
        { bn: 'a', bv: 1e308, v: 1e308 },
        { bn: 'late', bv: 0, bt: 1e308, t: 1e308, v: 2 },
        { bn: 'far', bt: 0, t: 1e300, v: 3 },
        { bn: '', n: 'fine', bt: 1_700_000_000, v: 4 },
      ],
      'node',
      NOW,
    );
    expect(samples.map((sample) => sample.point)).toEqual(['good', 'fine']);
    expect(refusals).toHaveLength(3);
    // Found by the property test below, seed -1921482510.
    const found = decodeUpBody([{ n: 'a', bt: -1.797693134862316e305, v: 1e300 }], 'a', NOW);
    expect(found.samples).toEqual([]);
    expect(found.refusals).toHaveLength(1);
    expect(decodeUp('{"temperature":1,"age":1e300}', 'a', NOW).samples).toEqual([]);
    expect(decodeUp('{"temperature":1,"time":1e300}', 'a', NOW).refusals[0]?.why).toMatch(/beyond what a clock/);
  });
  it('garbage never crashes the decoder, and a sample is always a finite number at a whole millisecond or none', () => {
    const key = fc.constantFrom('n', 'v', 't', 'bn', 'bt', 'bv', 'bu', 'vb', 'vs', 's', 'bver', 'x_', 'time', 'age', '__proto__');
    const messy = fc.oneof(
      fc.jsonValue(),
      fc.array(fc.dictionary(key, fc.oneof(fc.jsonValue(), fc.double(), fc.constantFrom('a', 'b:', 1e300, -1e300, 2 ** 28)))),
    );
    const check = (decoded: ReturnType<typeof decodeUp>): void => {
      for (const sample of decoded.samples) {
        expect(Number.isFinite(sample.value)).toBe(true);
        expect(sample.at === null || (Number.isInteger(sample.at) && Math.abs(sample.at) <= 8.64e15)).toBe(true);
      }
    };
    fc.assert(
      fc.property(messy, (body) => check(decodeUpBody(body, 'a', NOW))),
      { numRuns: 1000 },
    );
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => check(decodeUp(text, 'a', NOW))),
      { numRuns: 1000 },
    );
  });
});
