import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

/** Stand-ins as a drill sees them: what they were told, and nodes that do it. */
class TestStandins {
  readonly wishes: Body[] = [];
  nodes: string[] = [];
  /** What a wish brings about. */
  does: (wish: Body) => void = () => undefined;
  private readonly server: Server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      if (request.method === 'POST') {
        const wish = JSON.parse(Buffer.concat(chunks).toString()) as Body;
        this.wishes.push(wish);
        this.does(wish);
      }
      const nodes = this.nodes.map((node) => ({ node, connected: true }));
      response.writeHead(200, { 'content-type': 'application/json' });
      response.end(JSON.stringify({ nodes, networks: [{ name: 'mill-net', down: false }] }));
    });
  });
  async start(): Promise<string> {
    await new Promise<void>((resolve) => this.server.listen(0, '127.0.0.1', resolve));
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }
  stop(): void {
    this.server.closeAllConnections();
    this.server.close();
  }
}

const standins = new TestStandins();
let house: House;
let stand: FakeNode;
let points: Record<string, number>;
let real: Record<string, number>;

beforeAll(async () => {
  house = await openHouse({ DEWPOST_STANDINS_URL: await standins.start() });
  const [first, second] = [await house.node('loft-1', 'Grain loft'), await house.node('loft-2', 'Grain loft')];
  [points, real] = [first.points, second.points];
  stand = await FakeNode.connect(house.server.mqttPort, 'loft-1', first.key, { retry: true });
  await stand.say(60);
  const other = await FakeNode.connect(house.server.mqttPort, 'loft-2', second.key, { retry: true });
  await other.say(60);
  standins.nodes = ['loft-1'];
});
afterAll(async () => {
  await stand?.end();
  await house?.close();
  standins.stop();
});

const list = async (): Promise<Body> => (await house.maker.get('/api/v1/drills')).body;
const begin = (kind: string, by = house.maker): Promise<Answer> => by.post(`/api/v1/drills/${kind}`, {});
const over = (): Promise<Body> =>
  eventually(async () => ((await list()).running === null ? (await list()).before[0] : null), 'the drill to be over');
const readingsOf = (point: string, since: Date): Promise<{ quality: number }[]> =>
  house.database('reading').where({ point_id: points[point] }).where('at', '>', since).select('quality');
const add = (body: object): Promise<Answer> =>
  house.maker.post('/api/v1/thresholds', {
    ...{ point: points['humidity'], side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' },
    ...{ output: null, ...body },
  });

describe('a drill', () => {
  it('is begun by a maker only, and of what there is', async () => {
    expect([(await begin('flood', house.keeper)).status, (await begin('meteor')).status]).toEqual([403, 422]);
    expect(await list()).toEqual({ hindered: null, running: null, before: [] });
  });

  it('for which nothing is fit says so, and has failed: a real node is not taken in the place of a stand-in', async () => {
    await add({ point: real['humidity'], output: real['humidifier'] });
    await begin('sensor-failed');
    const drill = await over();
    expect([drill.passed, drill.endedWhy, drill.steps]).toEqual([false, expect.stringMatching(/set one under Thresholds/), []]);
    expect(standins.wishes).toEqual([]);
  });

  it('passes when all that has to follow does, is told as a drill, and puts back what it set', async () => {
    await add({ output: points['humidifier'] });
    standins.does = ({ kind, on }) => {
      if (kind === 'failed') void stand.say(on ? 320 : 60);
    };
    // Two at the same moment: one of them is.
    const both = await Promise.all([begin('sensor-failed'), begin('sensor-failed')]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
    expect((await begin('flood')).body.detail).toMatch(/under way/);
    const drill = await over();
    expect([drill.passed, drill.endedWhy]).toEqual([true, 'every step has ended']);
    expect(drill.steps.map(({ what }: Body) => what)).toEqual([
      'Humidity of loft-1 is marked bad',
      'nothing begins by it, and what ran is told off',
      'good readings are back',
    ]);
    expect(standins.wishes.at(-1)).toEqual({ what: 'node', node: 'loft-1', kind: 'failed', on: false });
    expect(standins.wishes.every(({ node }) => node === 'loft-1')).toBe(true);
  });

  it('an output that reads on after off is a critical alert, told as a drill, that nobody has to acknowledge', async () => {
    // The contacts of its output stick: on once, it reads on.
    let welded = false;
    standins.does = ({ kind, on }) => {
      if (kind === 'welded') stand.obeys = !(welded = on);
    };
    stand.done({ id: null, point: 'humidifier', result: 'ended', reason: 'power-up', state: false, readBack: 'contact' });
    const answering = setInterval(() => {
      const last = stand.commands.at(-1);
      if (welded && last?.value === false)
        stand.done({ id: last.id, point: 'humidifier', result: 'done', reason: 'off-by-hand', state: true, readBack: 'contact' });
    }, 100);
    await eventually(
      async () =>
        ((await house.maker.get('/api/v1/relays')).body as Body[]).find(({ point }) => point === points['humidifier'])?.state === false,
      'read off',
    );
    await begin('stuck-on');
    const drill = await over();
    clearInterval(answering);
    expect([drill.endedWhy, drill.steps.map(({ what, ms }: Body) => [what, ms !== null])]).toEqual([
      'every step has ended',
      [
        ['Humidifier of loft-1 reads on', true],
        ['it reads on after off: a critical alert', true],
        ['somebody is told', true],
        ['it reads off once it is put back', true],
      ],
    ]);
    const titles = house.handset.messages.map(({ title }) => title).filter((title) => /reads on|still on|stuck/i.test(title));
    expect(titles.length).toBeGreaterThan(0);
    expect(titles.every((title) => /^(Over: )?Drill: /.test(title))).toBe(true);
    const [alert] = await house.database('alert').where({ kind: 'output-stuck' });
    expect([alert.severity, alert.journal, alert.cleared_at !== null]).toEqual(['critical', true, true]);
  });

  it('that misses its time fails, says what did not happen, and puts back all the same', async () => {
    standins.does = () => undefined;
    const { body } = await begin('sensor-failed');
    await eventually(async () => (await list()).running?.steps.length > 0, 'its first step');
    const stopped = await house.keeper.call('DELETE', `/api/v1/drills/${body.id}`);
    expect([stopped.status, stopped.body.passed, stopped.body.endedWhy, stopped.body.steps[0].ms]).toEqual([
      200,
      false,
      'stopped by baker',
      null,
    ]);
    expect(standins.wishes.at(-1)).toMatchObject({ kind: 'failed', on: false });
    expect((await house.keeper.call('DELETE', `/api/v1/drills/${body.id}`)).status).toBe(404);
  });

  it('that a server left open is over with the next one, and what it set is put back', async () => {
    await house.restart(async () => {
      await house.database('drill').insert({ kind: 'flood', by_whom: 'millwright', begun_at: new Date() });
      // For the next drill: a node that reports every second.
      await house.database('node').where({ name: 'loft-1' }).update({ report_seconds: 1 });
      standins.wishes.length = 0;
    });
    const [drill] = (await list()).before;
    expect([drill.passed, drill.endedWhy]).toEqual([false, 'cut off: the server started anew']);
    expect(standins.wishes).toContainEqual({ what: 'node', node: 'loft-1', kind: 'welded', on: false });
    expect(standins.wishes).toContainEqual({ what: 'node', node: 'loft-1', kind: 'stuck', on: false });
  });

  it('a sensor that stands still is doubted sooner, and only as long as it is drilled', async () => {
    let still = false;
    let percent = 60;
    standins.does = ({ kind, on }) => {
      if (kind === 'stuck') still = on;
    };
    const saying = setInterval(() => void stand.say(still ? percent : (percent = percent === 60 ? 60.5 : 60)).catch(() => undefined), 300);
    const since = new Date();
    try {
      await eventually(async () => (await readingsOf('humidity', since)).length > 1, 'readings after the restart');
      await begin('sensor-stuck');
      const drill = await over();
      expect([drill.passed, drill.endedWhy]).toEqual([true, 'every step has ended']);
      expect(drill.steps.map(({ what }: Body) => what)).toEqual([
        'Humidity of loft-1 stands still',
        'it is marked as doubtful: its own figure, 20 s, is put to 3 s for the drill',
        'it moves again, and good readings are back',
      ]);
      // As before: for longer than that, and not for as long as its own figure, is no reason to doubt it.
      still = true;
      const after = new Date();
      await eventually(async () => (await readingsOf('humidity', after)).length > 15, 'readings that stand still');
      expect((await readingsOf('humidity', after)).every(({ quality }) => quality === 0)).toBe(true);
    } finally {
      clearInterval(saying);
    }
  });
});

it('without stand-ins there is none', async () => {
  const plain = await openHouse();
  try {
    expect((await plain.maker.get('/api/v1/drills')).body.hindered).toMatch(/never touch a real node/);
    expect((await plain.maker.post('/api/v1/drills/flood', {})).status).toBe(404);
  } finally {
    await plain.close();
  }
});
