import type { Relay } from '@dewpost/contract';
import { eventually, FakeNode, logged, openHouse, type Answer, type Body, type House, type Visitor } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
let output: number;
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];

beforeAll(async () => {
  house = await openHouse({}, 'taken as done', { timezone: 'UTC' });
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  output = points['humidifier']!;
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
  await node.say(60);
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const relay = async (): Promise<Relay> =>
  ((await house.maker.get('/api/v1/relays')).body as Relay[]).find(({ point }) => point === output)!;
const set = async (body: object, visitor: Visitor = house.maker): Promise<Answer> =>
  visitor.call('PUT', `/api/v1/relays/${output}/timetable`, {
    from: (await relay()).timetable?.version ?? 0,
    hours: null,
    lines: [],
    ...body,
  });
/** A line that began with this minute, and runs for nearly two. */
const underWay = (): object => {
  const began = new Date();
  return { weekdays: EVERY_DAY, minute: began.getUTCHours() * 60 + began.getUTCMinutes(), seconds: 115, again: null };
};
/** As if the server had been away since before the run began. */
const wasAway = (): Promise<void> =>
  house.restart(() => house.database('timetable').update({ begun_at: new Date(Date.now() - 3_600_000) }));
const toldSince = (count: number): boolean[] => node.commands.slice(count).map(({ value }) => value);
const standing = async (): Promise<Body[]> => house.database('demand').whereNull('ended_at');

describe('a timetable', () => {
  it('is laid down by makers, line by line as it can be; another’s change meanwhile is a 409 with it', async () => {
    expect((await set({}, house.keeper)).status).toBe(403);
    const tooLong = await set({ lines: [{ weekdays: [1], minute: 360, seconds: 86_000, again: null }] });
    expect([tooLong.status, tooLong.body.detail]).toEqual([422, expect.stringMatching(/Line 1: at most 2 min at a time/)]);
    expect((await set({ lines: [{ weekdays: [], minute: 360, seconds: 60, again: null }] })).status).toBe(422);
    expect((await set({ hours: { from: 60, to: 60 } })).status).toBe(422);
    expect((await relay()).timetable).toBeNull();
    expect((await set({ lines: [underWay()] })).body.timetable).toMatchObject({ version: 1, hours: null });
    const late = await set({ from: 0 });
    expect([late.status, late.body.current?.timetable?.version]).toEqual([409, 1]);
  });

  it('begins nothing in the middle of a run that was laid down just now', async () => {
    await node.say(60);
    expect([node.commands, await standing()]).toEqual([[], []]);
  });

  it('runs for what is left after the server was away, and a node that comes back is told; it ends at its time', async () => {
    await wasAway();
    await eventually(() => node.commands.at(-1)?.value === true, 'the output on');
    expect(node.commands.at(-1)?.reason).toBe('timetable');
    const { askedFor, askedBy, endsAt } = await eventually(async () => {
      const now = await relay();
      return now.state === true ? now : null;
    }, 'it to read back on');
    expect([askedFor, askedBy]).toEqual(['timetable', 'timetable']);
    // Not for as long as it runs, but until its end.
    const { minute, seconds } = (await relay()).timetable!.lines[0]!;
    expect(((endsAt ?? 0) / 1000 - seconds) % 86_400).toBe(minute * 60);
  });

  it('put off by hand stays off for this run, over a restart too', async () => {
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: false, reason: 'enough' });
    await eventually(() => node.commands.at(-1)?.value === false, 'off');
    const count = node.commands.length;
    await house.restart();
    await node.say(60);
    await eventually(async () => (await relay()).askedBy === null || null, 'nobody to ask for it');
    expect([toldSince(count).filter(Boolean), await standing()]).toEqual([[], []]);
  });

  it('locked out it does not run, says so in the log of its node, and does not make up for it', async () => {
    await house.maker.post(`/api/v1/relays/${output}/lock`, { minutes: null, reason: 'at the belt' });
    const count = node.commands.length;
    await wasAway();
    await logged(house.maker, 'loft-1', /humidifier did not run at \d\d:\d\d by its timetable: locked out by millwright/);
    await house.maker.call('DELETE', `/api/v1/relays/${output}/lock`);
    await node.say(60);
    expect([toldSince(count).filter(Boolean), await standing()]).toEqual([[], []]);
  });
});

describe('the hours of an output', () => {
  /** Hours of the day that do not have the present minute in them, and those that do. */
  const hours = (now: boolean): { from: number; to: number } => {
    const minute = new Date().getUTCHours() * 60 + new Date().getUTCMinutes();
    const [before, after] = [(minute + 1440 - 120) % 1440, (minute + 120) % 1440];
    return now ? { from: before, to: after } : { from: after, to: before };
  };

  it('hold what a rule asks for: it waits for them, and goes off when they end', async () => {
    expect((await set({ hours: hours(false) })).status).toBe(200);
    const rule = await house.maker.post('/api/v1/thresholds', {
      ...{ point: points['humidity'], side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0 },
      ...{ severity: 'warning', output, consequences: ['control'] },
    });
    expect(rule.status).toBe(200);
    const count = node.commands.length;
    await node.say(40);
    await eventually(async () => (await relay()).askedFor === 'threshold' || null, 'the rule to ask for it');
    expect(toldSince(count)).toEqual([]);
    await set({ hours: hours(true) });
    await eventually(() => node.commands.at(-1)?.value === true, 'on, within its hours');
    await set({ hours: hours(false) });
    await eventually(() => node.commands.at(-1)?.value === false, 'off, out of its hours');
  });

  it('do not bind a hand', async () => {
    const count = node.commands.length;
    await house.keeper.post(`/api/v1/relays/${output}/switch`, { on: true, seconds: 30, reason: 'now' });
    await eventually(() => toldSince(count).includes(true), 'on by hand');
  });

  it('are told to nobody: a node does not follow a rule alone that the hours hold', async () => {
    const settings = async (): Promise<Body> =>
      (await house.maker.get('/api/v1/snapshot')).body.nodes.find(({ id }: Body) => id === 'loft-1');
    const before = (await settings()).revision;
    await set({ hours: null });
    await eventually(async () => (await settings()).revision > before || null, 'the node to be told that it may');
    await set({ hours: hours(false) });
    await eventually(async () => (await settings()).revision > before + 1 || null, 'the node to be told that it may not');
  });
});
