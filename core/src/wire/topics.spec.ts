import { clientIdBelongsTo, mayPublish, maySubscribe, nodeIdSchema, parseUpwardTopic } from '.';

describe('rights of a node', () => {
  it.each(['up', 'hello', 'log', 'have', 'done', 'gone'])('publishes to its own %s', (channel) =>
    expect(mayPublish('loft-1', `dp/1/loft-1/${channel}`)).toBe(true),
  );
  it.each([
    'dp/1/loft-2/up',
    'dp/1/loft-1/set',
    'dp/1/loft-1/do',
    'dp/1/loft-1/up/x',
    'dp/2/loft-1/up',
    '$SYS/x',
    'dp/1//up',
    'dp/1/loft-1',
    'dp/1/+/up',
  ])('not to %s', (topic) => expect(mayPublish('loft-1', topic)).toBe(false));
  it.each(['dp/1/loft-1/+', 'dp/1/+/do', '#', '$SYS/#', 'dp/1/loft-2/do', 'dp/1/loft-1/up'])('does not subscribe to %s', (filter) =>
    expect(maySubscribe('loft-1', filter)).toBe(false),
  );
  it('uses client ids of its own only', () => {
    expect(clientIdBelongsTo('loft-1', 'loft-1')).toBe(true);
    expect(clientIdBelongsTo('loft-1', 'loft-1.bench')).toBe(true);
    expect(clientIdBelongsTo('loft-1', 'loft-10')).toBe(false);
  });
  it('refuses ids with markup, spaces, capitals or 33 characters', () => {
    for (const bad of ['<b>a</b>', 'a b', 'A', '-a', 'a-', '', 'a'.repeat(33), 'a/b', 'é'])
      expect(nodeIdSchema.safeParse(bad).success).toBe(false);
    expect(parseUpwardTopic(`dp/1/${'a'.repeat(33)}/up`)).toBeNull();
  });
});
