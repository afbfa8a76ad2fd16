import * as fc from 'fast-check';
import {
  filterFault,
  filterMatches,
  filtersOverlap,
  isJsonPointer,
  leavesOf,
  mapMessage,
  mapValue,
  MOST_LEAVES,
  ownFilterFault,
  pointerToken,
  readPayload,
  topicFault,
  valueAt,
  type MapEntry,
} from '.';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const entry = (given: Partial<MapEntry> = {}): MapEntry => ({
  topic: 'oven/state',
  pointer: null,
  point: 'top',
  factor: 1,
  offset: 0,
  texts: {},
  ...given,
});

describe('JSON Pointer', () => {
  // RFC 6901 §5, the document and its twelve pointers.
  const document: unknown = JSON.parse('{"foo":["bar","baz"],"":0,"a/b":1,"c%d":2,"e^f":3,"g|h":4,"i\\\\j":5,"k\\"l":6," ":7,"m~n":8}');
  it.each([
    ['', document],
    ['/foo', ['bar', 'baz']],
    ['/foo/0', 'bar'],
    ['/', 0],
    ['/a~1b', 1],
    ['/c%d', 2],
    ['/e^f', 3],
    ['/g|h', 4],
    ['/i\\j', 5],
    ['/k"l', 6],
    ['/ ', 7],
    ['/m~0n', 8],
  ])('RFC 6901 §5: %s', (pointer, value) => {
    expect(isJsonPointer(pointer)).toBe(true);
    expect(valueAt(document, pointer)).toEqual(value);
  });
  it.each(['foo', '/a~2b', '/a~', '#/foo'])('%s is none', (text) => expect(isJsonPointer(text)).toBe(false));
  it.each(['/foo/00', '/foo/-', '/foo/2', '/foo/bar', '/nowhere', '/foo/0/length', '/toString', '/__proto__', '/foo/length'])(
    '%s leads nowhere',
    (pointer) => expect(valueAt(document, pointer)).toBeUndefined(),
  );
  it('names every leaf of any document so that the pointer finds it again', () => {
    fc.assert(
      fc.property(fc.json({ maxDepth: 4 }), (text) => {
        const payload = readPayload(bytes(text));
        if (payload.kind === 'unreadable') return;
        for (const { pointer, value } of leavesOf(payload)) {
          expect(isJsonPointer(pointer ?? '')).toBe(true);
          expect(valueAt(payload.value, pointer ?? '')).toEqual(value);
        }
      }),
    );
    expect(pointerToken('a/b~c')).toBe('a~1b~0c');
  });
});

describe('topic filters (MQTT 3.1.1 §4.7)', () => {
  it.each([
    // The standard's own examples, §4.7.1.2 and §4.7.1.3.
    ['sport/tennis/player1/#', 'sport/tennis/player1', true],
    ['sport/tennis/player1/#', 'sport/tennis/player1/ranking', true],
    ['sport/tennis/player1/#', 'sport/tennis/player1/score/wimbledon', true],
    ['sport/#', 'sport', true],
    ['#', 'sport', true],
    ['sport/tennis/+', 'sport/tennis/player1', true],
    ['sport/tennis/+', 'sport/tennis/player1/ranking', false],
    ['sport/+', 'sport', false],
    ['sport/+', 'sport/', true],
    ['+/+', '/finance', true],
    ['/+', '/finance', true],
    ['+', '/finance', false],
    // §4.7.2
    ['#', '$SYS/uptime', false],
    ['+/monitor/Clients', '$SYS/monitor/Clients', false],
    ['$SYS/#', '$SYS/uptime', true],
  ])('%s and %s: %s', (filter, topic, matches) => expect(filterMatches(filter, topic)).toBe(matches));
  it.each([
    ['sport/tennis#', /stand alone/],
    ['sport/tennis/#/ranking', /only come last/],
    ['sport+', /stand alone/],
    ['', /needed/],
    ['a\u0000b', /may hold/],
    ['x'.repeat(300), /longer than 256/],
  ])('%s is refused', (filter, why) => expect(filterFault(filter)).toMatch(why));
  it('takes what the standard takes', () => {
    for (const filter of ['sport/tennis/#', '#', '+', '+/tennis/#', '/finance', 'ofen/küche']) expect(filterFault(filter)).toBeNull();
    expect(topicFault('oven/+')).toMatch(/no \+ or #/);
  });
  it('two overlap exactly where a topic lies under both', () => {
    const level = fc.constantFrom('a', 'b', '+');
    const filter = fc
      .tuple(fc.array(level, { minLength: 1, maxLength: 3 }), fc.boolean())
      .map(([levels, all]) => [...levels, ...(all ? ['#'] : [])].join('/'));
    const topics = ['a', 'b', 'c'].flatMap((x) => [
      x,
      ...['a', 'b', 'c'].flatMap((y) => [`${x}/${y}`, `${x}/${y}/a`, `${x}/${y}/b`, `${x}/${y}/b/a`]),
    ]);
    fc.assert(
      fc.property(filter, filter, (one, other) => {
        const both = topics.some((topic) => filterMatches(one, topic) && filterMatches(other, topic));
        expect(filtersOverlap(one, other)).toBe(both);
        expect(filtersOverlap(other, one)).toBe(both);
      }),
      { numRuns: 500 },
    );
  });
  it.each([
    ['dp/#', /house’s own/],
    ['dp/1/oven/up', /house’s own/],
    ['#', /house’s own/],
    ['+/state', /house’s own/],
    ['$SYS/x', /broker’s own/],
    ['kiln/+/temp', /overlaps kiln\/# of kiln/],
  ])('%s is nobody’s to name', (filter, why) => expect(ownFilterFault(filter, [{ account: 'kiln', filter: 'kiln/#' }])).toMatch(why));
  it('a word of its own is', () => expect(ownFilterFault('oven/#', [{ account: 'kiln', filter: 'kiln/#' }])).toBeNull());
});

describe('what a message says', () => {
  it.each([
    ['21.5', 21.5],
    [' -3e2 ', -300],
    ['"7.25"', 7.25],
    ['true', 1],
    ['false', 0],
    ['+4', 4],
  ])('%s is %d', (text, value) => expect(mapValue(entry(), readPayload(bytes(text)))).toEqual({ value }));
  it('factor and offset turn tenths into degrees, and texts have numbers of their own', () => {
    const json = readPayload(bytes('{"temp":{"top":2314},"door":"shut","err":null,"list":[1,[2,3]]}'));
    expect(mapValue(entry({ pointer: '/temp/top', factor: 0.1, offset: -1 }), json)).toEqual({ value: expect.closeTo(230.4, 9) as number });
    expect(mapValue(entry({ pointer: '/door', factor: 10, texts: { shut: 0, open: 1 } }), json)).toEqual({ value: 0 });
    expect(mapValue(entry({ pointer: '/list/1/0' }), json)).toEqual({ value: 2 });
  });
  it.each([
    [{ pointer: '/nowhere' }, /nothing at \/nowhere/],
    [{ pointer: '/temp' }, /no single value/],
    [{ pointer: '/err' }, /null/],
    [{ pointer: '/door' }, /“ajar” has no number/],
    [{ pointer: '/comma' }, /decimal comma/],
    [{ pointer: '/temp/top', factor: 1e308 }, /beyond what can be held/],
    [{ pointer: '/door', texts: {} as Record<string, number> }, /“ajar”/],
  ])('%j is refused in words', (given, why) => {
    const json = readPayload(bytes('{"temp":{"top":1e10},"door":"ajar","err":null,"comma":"3,5"}'));
    expect(mapValue(entry(given), json)).toEqual({ why: expect.stringMatching(why) as string });
  });
  it('a text called like what objects inherit is no number', () => {
    expect(mapValue(entry(), readPayload(bytes('toString')))).toEqual({ why: expect.stringMatching(/has no number/) as string });
  });
  it('bytes, nothing and 60 brackets are unreadable, and say why', () => {
    expect(readPayload(new Uint8Array([0xff, 0xfe]))).toMatchObject({
      kind: 'unreadable',
      why: expect.stringMatching(/no UTF-8/) as string,
    });
    expect(readPayload(bytes('  '))).toMatchObject({ kind: 'unreadable', why: 'empty' });
    const deep = '['.repeat(60) + ']'.repeat(60);
    expect(readPayload(bytes(deep))).toMatchObject({ kind: 'unreadable', why: expect.stringMatching(/deeper than 32/) as string });
    // Brackets in a text are no nesting.
    expect(readPayload(bytes(JSON.stringify('['.repeat(60)))).kind).toBe('json');
    expect(leavesOf(readPayload(bytes(JSON.stringify(Array.from({ length: 500 }, (_, i) => i)))))).toHaveLength(MOST_LEAVES);
  });
  it('one message gives each of its points a value or a reason, and never throws', () => {
    expect(mapMessage([entry({ pointer: '/a' }), entry({ pointer: '/b', point: 'sole' })], readPayload(bytes('{"a":1}')))).toEqual({
      values: { top: 1 },
      refusals: [{ point: 'sole', why: 'the message has nothing at /b' }],
    });
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), fc.json(), (raw, text) => {
        for (const payload of [readPayload(raw), readPayload(bytes(text))]) {
          const { values } = mapMessage([entry(), entry({ pointer: '/a' })], payload);
          for (const value of Object.values(values)) expect(Number.isFinite(value)).toBe(true);
        }
      }),
    );
  });
});
