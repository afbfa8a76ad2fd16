import { day, dayAndTime, offsetsOf, timeOfDay, timeOrDay } from './times';

const HOUR = 3_600_000;

// Europe/London changes at 01:00 UTC on the last Sundays of March and October (IANA time zone database, rule EU).
describe('site time', () => {
  it('is written in the site’s zone, in summer and in winter', () => {
    expect(dayAndTime(Date.UTC(2026, 10, 24, 14, 2), 'Europe/London')).toBe('Tue 24 Nov 14:02');
    expect(dayAndTime(Date.UTC(2026, 6, 1, 23, 30), 'Europe/London')).toBe('Thu 2 Jul 00:30');
    expect(timeOfDay(Date.UTC(2026, 10, 24, 14, 2, 11), 'Asia/Kolkata', true)).toBe('19:32:11');
    expect(day(Date.UTC(2026, 10, 24, 23, 59), 'Pacific/Auckland')).toBe('Wed 25 Nov');
  });
  it('says the hour of what is of the site’s today, and the day of what is not', () => {
    const now = Date.UTC(2026, 10, 24, 1, 30);
    expect(timeOrDay(Date.UTC(2026, 10, 24, 0, 5), now, 'UTC')).toBe('00:05');
    expect(timeOrDay(Date.UTC(2026, 10, 23, 23, 55), now, 'UTC')).toBe('23 Nov');
    // In Kathmandu the day began at 18:15 UTC.
    expect(timeOrDay(Date.UTC(2026, 10, 23, 23, 55), now, 'Asia/Kathmandu')).toBe('05:40');
  });
  it('goes from 00:59 to 02:00 in spring, and has 01:30 twice in autumn', () => {
    const spring = Date.UTC(2026, 2, 29, 1);
    expect([timeOfDay(spring - 60_000, 'Europe/London'), timeOfDay(spring, 'Europe/London')]).toEqual(['00:59', '02:00']);
    const autumn = Date.UTC(2026, 9, 25, 0, 30);
    expect([autumn, autumn + HOUR, autumn + 2 * HOUR].map((ms) => timeOfDay(ms, 'Europe/London'))).toEqual(['01:30', '01:30', '02:30']);
  });
  it('knows the offset of each time, not of today', () => {
    const london = offsetsOf('Europe/London');
    expect([london(Date.UTC(2026, 6, 1)), london(Date.UTC(2026, 11, 1))]).toEqual([HOUR, 0]);
    const change = Date.UTC(2026, 2, 29, 1);
    expect([london(change - 1), london(change)]).toEqual([0, HOUR]);
    // Lord Howe Island moves by half an hour only, at 15:30 UTC (rule LH).
    const howe = offsetsOf('Australia/Lord_Howe');
    expect([howe(Date.UTC(2026, 0, 1)), howe(Date.UTC(2026, 6, 1))]).toEqual([11 * HOUR, 10.5 * HOUR]);
    expect([offsetsOf('UTC')(0), offsetsOf('Asia/Kathmandu')(Date.UTC(2026, 0, 1))]).toEqual([0, 5.75 * HOUR]);
  });
});
