import fc from 'fast-check';
import type { PointEntry } from '../model/entries';
import { grantedOf, mayRun } from './interlock';
import type { OutputsKnown } from './outputs-known';

const outputs = (count: number): PointEntry[] =>
  Array.from(
    { length: count },
    (_, id) => ({ id, winners: [], losers: [], body: { output: { leaseSeconds: 60 } } }) as unknown as PointEntry,
  );
const interlock = (winner: PointEntry, loser: PointEntry): void => {
  winner.losers = [...winner.losers, loser];
  loser.winners = [...loser.winners, winner];
};

describe('interlocked outputs', () => {
  it('the winner is granted, and the other is off while it is wanted; the winner waits until that reads off', () => {
    const [fan, fogger] = outputs(2) as [PointEntry, PointEntry];
    interlock(fan, fogger);
    const off = (): boolean => false;
    expect([...grantedOf(new Set([fan, fogger]), off).granted]).toEqual([fan]);
    expect([...grantedOf(new Set([fogger]), off).granted]).toEqual([fogger]);
    const fogs = grantedOf(new Set([fan]), (output) => output === fogger);
    expect([[...fogs.granted], [...fogs.ousted]]).toEqual([[], [fogger]]);
    // Running out, nobody asks for it any more: the other waits.
    expect([...grantedOf(new Set([fogger]), (output) => output === fan).granted]).toEqual([]);
  });

  it('however many there are and whatever runs: never two of a pair are granted, nor a winner before the other is off', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(5), fc.nat(5)), { maxLength: 8 }),
        fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }),
        fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }),
        (pairs, wants, runs) => {
          const all = outputs(6);
          // The lesser number wins: nothing goes round.
          for (const [a, b] of pairs) if (a < b) interlock(all[a]!, all[b]!);
          const running = (output: PointEntry): boolean => runs[output.id]!;
          const { granted } = grantedOf(new Set(all.filter(({ id }) => wants[id])), running);
          for (const output of granted) {
            expect(output.winners.some((winner) => granted.has(winner) || running(winner) || wants[winner.id])).toBe(false);
            if (!running(output)) expect(output.losers.some(running)).toBe(false);
          }
        },
      ),
    );
  });

  it('what is not known may run until its lease is over; what was told on and has not answered may, too', () => {
    const [fan] = outputs(1) as [PointEntry];
    const known = (relay: object | undefined, last: object | undefined): OutputsKnown =>
      ({ relays: { get: () => relay }, commands: { get: () => last }, demands: { get: () => undefined } }) as unknown as OutputsKnown;
    const at = (relay: object | undefined, last: object | undefined, now: number): boolean => mayRun(known(relay, last), fan, now, 1000);
    expect([at({ state: true }, undefined, 1e6), at({ state: false }, undefined, 1e6), at(undefined, undefined, 1e6)]).toEqual([
      true,
      false,
      false,
    ]);
    // Since this server listens; since it was renewed last.
    expect([at({ state: null }, undefined, 60_000), at({ state: null }, undefined, 61_000)]).toEqual([true, false]);
    const on = { on: true, at: 50_000, answeredAt: 50_100 };
    expect([at({ state: null }, on, 109_000), at({ state: null }, on, 110_000)]).toEqual([true, false]);
    expect(at({ state: false }, { on: true, at: 50_000, answeredAt: null }, 55_000)).toBe(true);
  });
});
