import { backOffSeconds, joinCause, joinPatience, LAMP_LEGEND, mostTelling } from '.';

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
    expect([joinPatience(false), joinPatience(true)]).toEqual([
      { seconds: 120, then: 'set-up' },
      { seconds: 10, then: 'back off' },
    ]);
    expect([1, 2, 3, 9, 10, 30].map(backOffSeconds)).toEqual([60, 120, 240, 15_360, 21_600, 21_600]);
  });
  it('no two patterns of the lamp look alike', () => {
    expect(new Set(LAMP_LEGEND.map(({ spans }) => spans.join())).size).toBe(LAMP_LEGEND.length);
    expect(new Set(LAMP_LEGEND.map(({ name }) => name)).size).toBe(LAMP_LEGEND.length);
  });
});
