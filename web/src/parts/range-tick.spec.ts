import { RangeTick } from './range-tick';

const ORDER = ['a', 'b', 'c', 'd', 'e'];
const held = { shiftKey: true };

describe('ticking with Shift', () => {
  it('takes all from the row ticked last, in either direction, and goes on from there', () => {
    const range = new RangeTick();
    expect(range.through('b', ORDER)).toEqual(['b']);
    range.note(held);
    expect(range.through('d', ORDER)).toEqual(['b', 'c', 'd']);
    range.note(held);
    expect(range.through('a', ORDER)).toEqual(['a', 'b', 'c', 'd']);
  });
  it('is one row without it, without a row before, and where that row is gone', () => {
    const range = new RangeTick();
    range.note(held);
    expect(range.through('c', ORDER)).toEqual(['c']);
    range.note({ shiftKey: false });
    expect(range.through('e', ORDER)).toEqual(['e']);
    range.note(held);
    expect(range.through('a', ['a', 'b'])).toEqual(['a']);
    // What was held for one tick is not held for the next.
    range.note(held);
    range.through('b', ORDER);
    expect(range.through('d', ORDER)).toEqual(['d']);
  });
});
