import { consequencesFault, fillWords, noticeOf, usualConsequences } from '.';

describe('what follows from a trip', () => {
  it('is an alert where nothing is named, and control beside it where it switches; what was ordinary is control alone', () => {
    expect(usualConsequences({ output: null, tells: 'alert' })).toEqual(['alert']);
    expect(usualConsequences({ output: 7, tells: 'alert' })).toEqual(['alert', 'control']);
    expect(usualConsequences({ output: 7, tells: 'journal' })).toEqual(['control']);
  });
  it('control wants an output, and an output wants control', () => {
    expect(consequencesFault(['control'], null)).toMatch(/choose which/);
    expect(consequencesFault(['alert'], 7)).toMatch(/nothing switches it/);
    for (const [all, output] of [
      [['alert', 'control'], 7],
      [['notice'], null],
      [['control', 'notice'], 7],
    ] as const)
      expect(consequencesFault(all, output)).toBeNull();
  });
  it('words are filled in once, and what is filled in is not read again', () => {
    expect(fillWords('{point} in {room}: {value} {unit}, cell {battery}', { point: 'Hatch', room: '{value}', value: '1', unit: '' })).toBe(
      'Hatch in {value}: 1 , cell –',
    );
    expect(fillWords('{other} stays', {})).toBe('{other} stays');
  });
  it('a notice is told at the edges that have words, or at both in the usual ones', () => {
    expect(noticeOf(null, 'clear')).toEqual({ told: true, words: null });
    expect(noticeOf({ trip: 'opened', clear: null }, 'trip')).toEqual({ told: true, words: 'opened' });
    expect(noticeOf({ trip: 'opened', clear: null }, 'clear')).toEqual({ told: false, words: null });
    expect(noticeOf({ trip: null, clear: null }, 'trip').told).toBe(true);
  });
});
