import fc from 'fast-check';
import { BODY_TEMPLATES, bodyWithin, fillTemplate, forwardLoad, recentWith, unknownFields, waitBeforeSend, type ForwardReading } from '.';

const reading = (change: Partial<ForwardReading> = {}): ForwardReading => ({
  node: 'loft-climate',
  point: 'humidity',
  label: 'Humidity',
  room: 'Grain loft',
  unit: '%',
  value: 0.1 + 0.2,
  at: 1_700_000_000_500,
  quality: 'good',
  ...change,
});

describe('what goes to somebody else', () => {
  it('fills a template; what it does not know stays and is named', () => {
    expect(fillTemplate('{node}/{point} {value} {unit} {seconds} {ms} {time} {quality} {room}', reading(), 'text')).toBe(
      'loft-climate/humidity 0.3 % 1700000000.5 1700000000500 2023-11-14T22:13:20.500Z good Grain loft',
    );
    expect(fillTemplate('{colour}{value}', reading(), 'text')).toBe('{colour}0.3');
    expect(unknownFields('{"v":{value},"c":{colour}}')).toEqual(['colour']);
    for (const { record } of Object.values(BODY_TEMPLATES)) expect(unknownFields(record)).toEqual([]);
  });
  it('names with quotes, line ends or levels in them break neither JSON nor lines nor topics, and are not filled in twice', () => {
    const odd = reading({ label: 'a"b\\\n{value}/+#', room: 'x\u2028y' });
    expect(JSON.parse(`"${fillTemplate('{label}', odd, 'json')}"`)).toBe(odd.label);
    expect(fillTemplate('{label}', odd, 'text')).toBe('a"b\\ {value}/+#');
    expect(fillTemplate('mill/{label}/{room}', odd, 'topic')).toBe('mill/a"b\\ {value}---/x y');
  });
  it('SenML and JSON bodies are what their readers expect (RFC 8428 §4: a name, a time in seconds, a value)', () => {
    const { body, used } = bodyWithin(BODY_TEMPLATES.senml, [reading(), reading({ value: -5 })], { records: 10, bytes: 1000 });
    expect(used).toBe(2);
    expect(JSON.parse(body)).toEqual([
      { n: 'loft-climate:humidity', t: 1_700_000_000.5, v: 0.3 },
      { n: 'loft-climate:humidity', t: 1_700_000_000.5, v: -5 },
    ]);
    expect(JSON.parse(bodyWithin(BODY_TEMPLATES.json, [reading()], { records: 1, bytes: 1000 }).body)).toEqual([
      { node: 'loft-climate', point: 'humidity', time: 1_700_000_000.5, value: 0.3, unit: '%' },
    ]);
  });
  it('a body never exceeds its limits; nothing is left out, doubled or out of order over any number of bodies', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ value: fc.double({ noNaN: true, noDefaultInfinity: true }), label: fc.string() }), { maxLength: 40 }),
        fc.constantFrom(...Object.values(BODY_TEMPLATES)),
        fc.integer({ min: 1, max: 12 }),
        fc.integer({ min: 150, max: 900 }),
        (made, template, records, bytes) => {
          let left = made.map((change, i) => reading({ ...change, at: i }));
          const seen: number[] = [];
          while (left.length > 0) {
            const { body, used } = bodyWithin(template, left, { records, bytes });
            expect(used).toBeGreaterThan(0);
            expect(used).toBeLessThanOrEqual(records);
            expect(new TextEncoder().encode(body).length).toBeLessThanOrEqual(bytes);
            seen.push(...left.slice(0, used).map(({ at }) => at));
            left = left.slice(used);
          }
          expect(seen).toEqual(made.map((_, i) => i));
        },
      ),
    );
    expect(bodyWithin(BODY_TEMPLATES.json, [reading()], { records: 5, bytes: 20 }).used).toBe(0);
  });
});

describe('what a receiver takes', () => {
  it('is never exceeded in any window of its length, and no time is lost', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.integer({ min: 1, max: 60 }),
        fc.array(fc.integer({ min: 0, max: 20_000 }), { maxLength: 60 }),
        (sends, windowSeconds, pauses) => {
          const cap = { sends, windowSeconds };
          let [now, recent, sent] = [0, [] as number[], [] as number[]];
          for (const pause of pauses) {
            now += pause;
            const wait = waitBeforeSend(recent, cap, now);
            // Waiting is needed: one moment earlier there would be one too many.
            if (wait > 0) expect(sent.filter((at) => at > now + wait - 1 - windowSeconds * 1000).length).toBe(sends);
            now += wait;
            recent = recentWith(recent, cap, now);
            sent = [...sent, now];
          }
          for (const end of sent)
            expect(sent.filter((at) => at <= end && at > end - windowSeconds * 1000).length).toBeLessThanOrEqual(sends);
        },
      ),
    );
    expect(waitBeforeSend([1, 2, 3], null, 4)).toBe(0);
  });
  it('is held against what arises: 6 points every 30 s are 180 in a quarter hour (by hand)', () => {
    const intervals = Array.from({ length: 6 }, () => 30);
    expect(forwardLoad(intervals, { sends: 20, windowSeconds: 900 }, 8)).toEqual({ arise: 180, takes: 160, fits: false });
    expect(forwardLoad(intervals, { sends: 20, windowSeconds: 900 }, 9)).toMatchObject({ takes: 180, fits: true });
    expect(forwardLoad(intervals, null, 9)).toEqual({ arise: 720, takes: null, fits: true });
  });
});
