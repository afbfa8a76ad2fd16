import { JOIN_CODES, type JoinCause } from '@dewpost/core/joining';
import { STATUS } from '@dewpost/core/serial';
import { FIRST_CODES } from '@dewpost/core/fit';
import { remedyFor } from './remedies';

const causes: JoinCause[] = [...JOIN_CODES, 'stray-space', 'other-letters', 'five-gigahertz', 'hidden-name'];
/** What the bench, the link and the server find out themselves. */
const found = [
  ...['portLost', 'noAnswer', 'stuck-erasing', 'wrong-board', 'board-known'],
  ...['no-join', 'backing-off', 'brown-out', 'no-contact', 'no-readings', 'air'],
  ...['no-read-back', 'output-reads-on', 'image-gone'],
];
// What the link gets over by itself, by sending again, never stops a run.
const mended = ['ok', 'badFrame'];
const answered = Object.keys(STATUS).filter((status) => !mended.includes(status));

describe('remedies', () => {
  it.each([...causes, ...FIRST_CODES.filter((code) => code !== 'unit'), ...found, ...answered])(
    'of %s say what happened, why, and what to do, in sentences of their own',
    (code) => {
      const { what, cause, next } = remedyFor(code, 'evidence');
      const whole = (of: string): string => [remedyFor(of, of)].map((one) => `${one.what} ${one.cause} ${one.next}`).join('');
      expect(what).not.toBe('evidence');
      for (const text of [what, cause, next]) expect(text).toMatch(/^[A-Z].{10,}\.$/s);
      const others = [...causes, ...FIRST_CODES, ...found].filter((other) => other !== code);
      expect(others.map(whole)).not.toContain(whole(code));
    },
  );
  it('of what is not known show what was seen', () => {
    expect(remedyFor('no such code', 'the board hums')).toMatchObject({ what: 'the board hums' });
    expect(remedyFor('', '').what).toBe('It stopped.');
  });
});
