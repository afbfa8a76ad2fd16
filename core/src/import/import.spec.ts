import * as fc from 'fast-check';
import {
  instantOf,
  noticeDateOrder,
  noticeDecimal,
  noticeSeparator,
  noticeTimeColumn,
  readFigure,
  readLine,
  readTime,
  type ReadingPlan,
} from '.';

const iso = (ms: number): string => new Date(ms).toISOString();
const HOUR = 3_600_000;

describe('times of a file', () => {
  it.each([
    // RFC 3339, section 5.8, its examples (the leap second aside: no clock here has one).
    ['1985-04-12T23:20:50.52Z', 'year', '1985-04-12T23:20:50.520Z', 0],
    ['1996-12-19T16:39:57-08:00', 'year', '1996-12-19T16:39:57.000Z', -480],
    ['1937-01-01T12:00:27.87+00:20', 'year', '1937-01-01T12:00:27.870Z', 20],
    ['2024-03-08 18:10', 'day', '2024-03-08T18:10:00.000Z', null],
    ['08.03.2024 18:10', 'day', '2024-03-08T18:10:00.000Z', null],
    ['3/8/24, 6:10:05 PM', 'month', '2024-03-08T18:10:05.000Z', null],
    ['3/8/2024 12:00 AM', 'month', '2024-03-08T00:00:00.000Z', null],
    ['01.12.2023', 'day', '2023-12-01T00:00:00.000Z', null],
    ['1700000000', 'day', '2023-11-14T22:13:20.000Z', 0],
    ['1700000000123', 'day', '2023-11-14T22:13:20.123Z', 0],
  ] as const)('%s', (text, order, wall, offset) => expect(readTime(text, order)).toEqual({ wall: Date.parse(wall), offset }));
  it.each(['', 'soon', '31.06.2024 10:00', '2024-02-30', '12.13.2024', '2024-01-01 25:00', '2024-01-01 10:61', '10:00'])(
    '%s is none',
    (text) => expect(readTime(text, 'day')).toBeNull(),
  );
  it('whatever is written as RFC 3339 is read as it was', () => {
    fc.assert(
      fc.property(fc.date({ min: new Date(0), max: new Date('2100-01-01'), noInvalidDate: true }), (date) => {
        expect(readTime(date.toISOString(), 'day')).toEqual({ wall: date.getTime(), offset: 0 });
      }),
    );
  });
});

describe('a clock that is set twice a year', () => {
  // Central European summer time of 2026: from 29 March 01:00 UTC to 25 October 01:00 UTC (Directive 2000/84/EC).
  const [spring, autumn] = [Date.UTC(2026, 2, 29, 1), Date.UTC(2026, 9, 25, 1)];
  const berlin = (at: number): number => (at >= spring && at < autumn ? 2 * HOUR : HOUR);
  const wall = (text: string): number => Date.parse(`${text}Z`);

  it('knows summer from winter', () => {
    expect(iso(instantOf(berlin, wall('2026-01-15T12:00'), null) as number)).toBe('2026-01-15T11:00:00.000Z');
    expect(iso(instantOf(berlin, wall('2026-07-15T12:00'), null) as number)).toBe('2026-07-15T10:00:00.000Z');
  });
  it('an hour that never was is none', () => {
    expect(instantOf(berlin, wall('2026-03-29T02:30'), null)).toBe('never');
    expect(instantOf(berlin, wall('2026-03-29T03:00'), null)).toBe(spring);
  });
  it('an hour that came twice is the first, and the second once the first has passed', () => {
    const first = Date.UTC(2026, 9, 25, 0, 30);
    expect(instantOf(berlin, wall('2026-10-25T02:30'), null)).toBe(first);
    expect(instantOf(berlin, wall('2026-10-25T02:30'), first - 600_000)).toBe(first);
    expect(instantOf(berlin, wall('2026-10-25T02:30'), first)).toBe(first + HOUR);
    expect(instantOf(berlin, wall('2026-10-25T02:10'), Date.UTC(2026, 9, 25, 0, 50))).toBe(Date.UTC(2026, 9, 25, 1, 10));
  });
  it('a whole night line by line goes on by ten minutes each, the spring night without the hour that is not', () => {
    for (const [begin, missing] of [
      [autumn - 2 * HOUR, 0],
      [spring - 2 * HOUR, 0],
    ] as const) {
      let previous: number | null = null;
      let lost = 0;
      for (let at = begin; at < begin + 4 * HOUR; at += 600_000) {
        const read = instantOf(berlin, at + berlin(at), previous);
        if (read === 'never') lost++;
        else {
          expect(read).toBe(at);
          previous = read;
        }
      }
      expect(lost).toBe(missing);
    }
  });
});

describe('how a file is written', () => {
  const GERMAN = 'Time;Temp;Press\n31.12.2023 00:00;3,8;1013,2\n01.01.2024 00:10;3,9;1 013,1\n';
  it('semicolons beside decimal commas, tabs, plain commas; what is quoted splits nothing', () => {
    expect(noticeSeparator(GERMAN)).toEqual({ separator: ';', evidence: '3 fields in 3 of 3 lines' });
    expect(noticeSeparator('a\tb\n1\t2').separator).toBe('\t');
    expect(noticeSeparator('a,b\n"1,5","2;5"').separator).toBe(',');
    expect(noticeSeparator('one\ntwo')).toEqual({ separator: ',', evidence: 'one field in every line' });
  });
  it('decimals and the order of days, with what speaks for them', () => {
    expect(noticeDecimal(['3,8', '3,9', '89', '1013,2'])).toEqual({ decimalComma: true, evidence: '3 with a comma, 0 with a point' });
    expect(noticeDecimal(['3.8', '89']).decimalComma).toBe(false);
    expect(noticeDateOrder(['01.12.2023 00:00', '31.12.2023 00:00'])).toMatchObject({ dateOrder: 'day' });
    expect(noticeDateOrder(['12/31/2023'])).toMatchObject({ dateOrder: 'month' });
    expect(noticeDateOrder(['01/02/2023'])).toMatchObject({ dateOrder: 'day', evidence: 'no number over 12: it cannot be told' });
    expect(noticeDateOrder(['2023-12-31']).dateOrder).toBe('year');
  });
  it('the column that holds the time', () => {
    expect(noticeTimeColumn([['a', '3,8', '31.12.2023 00:00']])).toBe(2);
    expect(noticeTimeColumn([['a', '3,8']])).toBeNull();
  });
  it.each([
    ['1013,2', true, 1013.2],
    ['1 013,2', true, 1013.2],
    ['5,0,4', true, 'no number'],
    ['1.013,2', true, 'no number'],
    ['-3.8e2', false, -380],
    ['3,8', false, 'no number'],
    ['--', true, 'none'],
    ['', false, 'none'],
    ['NaN', false, 'none'],
    ['Infinity', false, 'no number'],
    ['0x10', false, 'no number'],
  ] as const)('%s, decimal comma %s: %s', (text, comma, value) => expect(readFigure(text, comma)).toBe(value));
});

describe('a line', () => {
  const plan: ReadingPlan = {
    timeColumn: 0,
    width: 3,
    columns: [
      { index: 1, key: 7 },
      { index: 2, key: 8 },
    ],
    dateOrder: 'day',
    decimalComma: true,
    instant: (wall) => wall,
    keptFrom: -Infinity,
    now: Date.UTC(2026, 10, 24),
  };
  const at = Date.UTC(2024, 2, 8, 18, 10);
  it('becomes readings of the columns that are wanted', () => {
    expect(readLine(plan, ['08.03.2024 18:10', '3,8', '89', 'left out'], null)).toEqual({
      at,
      values: [
        { key: 7, value: 3.8 },
        { key: 8, value: 89 },
      ],
      problems: [],
    });
  });
  it.each([
    ['cut-short', ['08.03.2024 18:10', '3,8']],
    ['no-time', ['soon', '3,8', '89']],
    ['ahead', ['29.01.2036 04:30', '3,8', '89']],
    ['before-2000', ['29.01.1999 04:30', '3,8', '89']],
  ] as const)('%s is left out, and said with its words', (problem, cells) => {
    const read = readLine(plan, cells, null);
    expect([read.at, read.values, read.problems[0]?.problem]).toEqual([null, [], problem]);
    expect(read.problems[0]?.text).toContain(cells[0]);
  });
  it('the same time again adds nothing, and what is no value costs only itself', () => {
    expect(readLine(plan, ['08.03.2024 18:10', '3,8', '89'], at)).toMatchObject({ at, values: [], problems: [{ problem: 'same-time' }] });
    const read = readLine(plan, ['08.03.2024 18:10', '--', '5,0,4'], null);
    expect([read.at, read.values, read.problems.map(({ problem }) => problem)]).toEqual([at, [], ['no-value', 'no-number']]);
  });
});
