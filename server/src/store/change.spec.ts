import { Outcome } from './change';

describe('what follows from a commit', () => {
  it('memory first, then what goes out, then a turn of the event loop in which it is written, and only then those who are told', async () => {
    const order: string[] = [];
    const outcome = new Outcome();
    outcome.tell(() => order.push('told'));
    outcome.order(() => {
      order.push('sent');
      // As the broker does it: what is published is written at the next turn.
      setImmediate(() => order.push('written'));
    });
    outcome.apply(() => order.push('known'));
    await outcome.finish(() => undefined);
    expect(order).toEqual(['known', 'sent', 'written', 'told']);
  });

  it('a failure to send or to tell is said and keeps nobody else from hearing; one of memory is never swallowed', async () => {
    const faults: unknown[] = [];
    const heard: string[] = [];
    const outcome = new Outcome();
    outcome.order(() => {
      throw new Error('no wire');
    });
    outcome.tell(() => {
      throw new Error('no page');
    });
    outcome.order(() => heard.push('second order'));
    outcome.tell(() => heard.push('second page'));
    await outcome.finish((error) => faults.push((error as Error).message));
    expect([heard, faults]).toEqual([
      ['second order', 'second page'],
      ['no wire', 'no page'],
    ]);
    const broken = new Outcome();
    broken.apply(() => {
      throw new Error('memory');
    });
    await expect(broken.finish(() => undefined)).rejects.toThrow('memory');
  });
});
