import { backOffSeconds, joinCause, joinPatience, refusedNetwork, lampLegend, lampSpansSchema, mostTelling } from '.';

const heard = (...names: string[]) => names.map((name) => ({ name, dbm: -60 }));

describe('why a node does not join', () => {
  it.each([
    ['a space behind the name at the router', ['mill'], heard('mill ', 'barn'), 'stray-space'],
    ['a space in what was written', [' mill'], heard('barn'), 'stray-space'],
    ['capitals', ['Mill-nodes'], heard('mill-nodes'), 'other-letters'],
    ['a hyphen for a space', ['mill nodes'], heard('mill-nodes'), 'other-letters'],
    ['5 GHz by its name', ['mill-5G'], heard('barn'), 'five-gigahertz'],
    ['its 2.4 GHz twin is heard', ['mill'], heard('mill-2.4G'), 'five-gigahertz'],
    ['a hidden name', ['mill'], heard('', 'barn'), 'hidden-name'],
    ['a hidden one too far away to be it', ['mill'], [{ name: '', dbm: -88 }], 'name-not-found'],
    ['heard, and yet not joined', ['mill'], [{ name: 'mill', dbm: -88 }], 'weak-signal'],
    ['nothing of the kind', ['mill'], heard('barn'), 'name-not-found'],
  ] as const)('%s', (_, wanted, list, cause) => expect(joinCause('name-not-found', wanted, list)).toBe(cause));
  it('leaves every other code as the node says it, and picks the one that tells most', () => {
    expect(joinCause('no-address', ['mill'], heard('mill '))).toBe('no-address');
    expect(mostTelling([{ code: 'name-not-found' }, { code: 'wrong-passphrase' }, { code: 'name-not-found' }])).toEqual({
      code: 'wrong-passphrase',
    });
    expect(mostTelling([])).toBeNull();
  });
  it('a mains node tries long and opens up, a battery node gives up soon and doubles its sleep to six hours', () => {
    // A modem that takes 25 s to join gets 50: at 10 it never would.
    expect([joinPatience(true, 25), joinPatience(true, 2.2), joinPatience(false, 90)]).toEqual([
      { seconds: 50, then: 'back off' },
      { seconds: 10, then: 'back off' },
      { seconds: 180, then: 'set-up' },
    ]);
    const wanted = ['wrenfold-nodes', 'wrenfold-yard'];
    expect(refusedNetwork('no network named "wrenfold-yard" heard', wanted, 0)).toBe('wrenfold-yard');
    expect([refusedNetwork('refused', wanted, 0), refusedNetwork('refused', wanted, 1)]).toEqual(wanted);
    expect(joinCause('name-not-found', ['net15g'], [])).toBe('name-not-found');
    expect([joinPatience(false), joinPatience(true)]).toEqual([
      { seconds: 120, then: 'set-up' },
      { seconds: 10, then: 'back off' },
    ]);
    expect([1, 2, 3, 9, 10, 30].map(backOffSeconds)).toEqual([60, 120, 240, 15_360, 21_600, 21_600]);
  });
  it('no two patterns of the usual lamp look or read alike', () => {
    const usual = lampLegend({}, {});
    expect(new Set(usual.map(({ spans }) => spans.join())).size).toBe(usual.length);
    expect(usual.map(({ name }) => name)).toEqual([
      'flicker',
      'a long blink every second',
      '2 short blinks, then a pause',
      'a short blink every 5 s',
      '3 short blinks, then a pause',
      'steady',
    ]);
  });
  it('a board has patterns of its own, and the image the last word', () => {
    const of = (state: string) =>
      lampLegend({ writing: [200, 200], joined: [40, 960] }, { joined: [1500, 100, 100, 1300] }).find((one) => one.state === state);
    expect([of('writing')?.name, of('joined')?.name, of('stopped')?.name]).toEqual([
      'a short blink every 0.4 s',
      'long, short, then a pause',
      '3 short blinks, then a pause',
    ]);
    expect([lampSpansSchema.safeParse({ joined: [5] }).success, lampSpansSchema.safeParse({ dancing: [50] }).success]).toEqual([
      false,
      false,
    ]);
  });
});
