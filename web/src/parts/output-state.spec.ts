import type { Relay } from '@dewpost/contract';
import { aPoint, aRelay } from '../testing/rig';
import { outputWords } from './output-state';

const now = 1_000_000;
const point = aPoint({
  id: 1,
  node: 'proving-1',
  name: 'humidifier',
  label: 'Humidifier',
  kind: 'switched',
  unit: '',
  min: 0,
  max: 1,
  decimals: 0,
  confirm: 'hold',
  output: {
    guards: { minOnSeconds: 10, minOffSeconds: 20, maxRunSeconds: 600, restSeconds: 60 },
    leaseSeconds: 30,
    readBack: 'contact',
    caution: '',
  },
});
const relay = (more: Partial<Relay>): Relay => aRelay({ point: 1, readAt: now, since: now, result: 'done', reason: 'demand', ...more });

describe('an output in words', () => {
  it('is unknown, never its last state, while the link is lost, and says how long the lease holds it', () => {
    expect(outputWords(point, null, now)).toMatchObject({ state: 'unknown', inside: 'not heard yet' });
    expect(outputWords(point, relay({ state: null, leaseUntil: now + 12_000 }), now).inside).toBe('link lost, off in 12 s');
  });
  it('shows the time until it goes off by itself, and the lease only while it is not being renewed', () => {
    const running = relay({
      state: true,
      renewing: true,
      offAt: now + 300_000,
      since: now - 300_000,
      leaseUntil: now + 20_000,
      askedBy: 'Humidity too low',
      askedFor: 'threshold',
    });
    expect(outputWords(point, running, now)).toMatchObject({ inside: 'off in 5 min', outside: 'longest run', left: 0.5 });
    expect(outputWords(point, { ...running, renewing: false }, now)).toMatchObject({ inside: '20 s left', outside: 'lease, not renewed' });
    expect(
      outputWords(point, { ...running, endsAt: now + 60_000, offAt: now + 60_000, askedFor: 'hand', askedBy: 'baker' }, now),
    ).toMatchObject({ outside: 'by hand', asked: 'by hand, baker' });
  });
  it('names the guard that binds now', () => {
    const held = outputWords(point, relay({ result: 'held', reason: 'min-off', heldUntil: now + 8000, askedBy: 'baker' }), now);
    expect([held.held, held.inside, held.guards.map((g) => g.binds)]).toEqual([true, 'may start in 8 s', [false, true, false]]);
    expect(outputWords(point, relay({ result: 'held', reason: 'min-off', heldUntil: now - 1 }), now).held).toBe(false);
  });
  it('waits for its hours where a rule asks for it out of them; a hand waits for none, and elsewhere it may be time', () => {
    // 00:16 in UTC, 01:16 in Berlin.
    const asked = relay({
      askedBy: 'Humidity too low',
      askedFor: 'threshold',
      timetable: { version: 1, lines: [], hours: { from: 60, to: 120 } },
    });
    expect(outputWords(point, asked, now, 'UTC').inside).toBe('waits for its hours, from 01:00');
    expect(outputWords(point, asked, now, 'Europe/Berlin').inside).toBe('asked, not on yet');
    expect(outputWords(point, { ...asked, askedFor: 'hand' }, now, 'UTC').inside).toBe('asked, not on yet');
    expect(outputWords(point, { ...asked, askedBy: null, askedFor: null }, now, 'UTC').inside).toBe('ready');
  });
  it('a run of its timetable ends by the timetable, not by a hand', () => {
    const running = relay({ state: true, renewing: true, endsAt: now + 60_000, offAt: now + 60_000, leaseUntil: now + 20_000 });
    expect(outputWords(point, { ...running, askedFor: 'timetable', askedBy: 'timetable' }, now)).toMatchObject({
      outside: 'timetable',
      asked: 'timetable',
    });
  });
  it('says what the read-back proves', () => {
    expect(outputWords(point, relay({}), now).readBack).toMatch(/proves it/);
    expect(outputWords({ ...point, output: { ...point.output!, readBack: 'pin' } }, relay({}), now).readBack).toMatch(/proves nothing/);
  });
});
