import { ShelfBook } from './shelf';

describe('the shelves', () => {
  const shelf = { severity: 'warning' as const, by: 'baker', why: 'it is being mended', until: 5 };
  it('take what is as grave as what was put there, or less; never what is graver, nor another origin’s', () => {
    const book = new ShelfBook();
    book.put('t1', shelf);
    expect([book.of('t1', 'warning'), book.of('t1', 'advisory')]).toEqual([shelf, shelf]);
    expect([book.of('t1', 'critical'), book.of('t2', 'advisory')]).toEqual([null, null]);
    expect(book.entries()).toEqual([['t1', shelf]]);
    book.take('t1');
    expect(book.of('t1', 'warning')).toBeNull();
  });
});
