import { InTurn } from './in-turn';

describe('messages to one node', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());
  const house = () => {
    const turn = new InTurn();
    const went: string[] = [];
    const through = new Map<string, () => void>();
    const send = (node: string, name: string, kept: boolean): void =>
      turn.send(node, kept, (done) => {
        went.push(name);
        through.set(name, done);
      });
    return { send, went, through: (name: string) => through.get(name)!() };
  };

  it('go at once; what follows one that is kept waits until that is through, in order', () => {
    const { send, went, through } = house();
    send('a', 'do 1', false);
    send('a', 'set 1', true);
    send('a', 'do 2', false);
    send('a', 'set 2', true);
    send('a', 'do 3', false);
    expect(went).toEqual(['do 1', 'set 1']);
    through('set 1');
    expect(went).toEqual(['do 1', 'set 1', 'do 2', 'set 2']);
    through('set 1');
    expect(went).toHaveLength(4);
    through('set 2');
    send('a', 'do 4', false);
    expect(went.slice(4)).toEqual(['do 3', 'do 4']);
  });
  it('another node waits for nobody, and one that does not read is waited for a second', () => {
    const { send, went } = house();
    send('a', 'set', true);
    send('a', 'off', false);
    send('b', 'off of b', false);
    expect(went).toEqual(['set', 'off of b']);
    jest.advanceTimersByTime(999);
    expect(went).toHaveLength(2);
    jest.advanceTimersByTime(1);
    expect(went).toEqual(['set', 'off of b', 'off']);
  });
});
