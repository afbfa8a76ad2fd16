import { followedState, isToBeShown, SHOWN_FOR_MS } from '.';

describe('what a lamp shows that follows a rule', () => {
  const known = { inForce: true, armed: true, silent: false, fresh: true, inAlarm: false };
  it('is where the rule stands, and nothing that is not known', () => {
    expect(followedState(known)).toBe('otherwise');
    expect(followedState({ ...known, inAlarm: true })).toBe('beyond');
    // Whatever else is so: green is never shown on the word of what is not there.
    for (const gone of [{ inForce: false }, { armed: false }, { silent: true }, { fresh: false }])
      for (const inAlarm of [true, false]) expect(followedState({ ...known, ...gone, inAlarm })).toBe('unknown');
  });
  it('is told again where it changes, and before its time is over', () => {
    expect(isToBeShown('green', null, 0)).toBe(true);
    expect(isToBeShown('green', { shown: 'green', sentAt: 0 }, SHOWN_FOR_MS / 3 - 1)).toBe(false);
    expect(isToBeShown('green', { shown: 'green', sentAt: 0 }, SHOWN_FOR_MS / 3)).toBe(true);
    expect(isToBeShown('red', { shown: 'green', sentAt: 0 }, 1)).toBe(true);
  });
});
