import { decodeUp, nodeConfigurationSchema, setSchema, topicOf, type OwnThreshold } from '@dewpost/core/wire';
import { Aedes } from 'aedes';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { AddressInfo } from 'node:net';
import { Backlog } from './backlog';
import { Networks } from './network';
import { Room } from './room';
import { SimulatedNode } from './simulated-node';
import { factoryFlash } from './updater';

const damp: OwnThreshold = {
  id: 1,
  point: 'humidity',
  output: 'fan',
  side: 'high',
  setpoint: 40,
  clearLevel: 35,
  onDelaySeconds: 0,
  offDelaySeconds: 0,
  confirm: 'readings',
  measures: [0, 100],
};
const outputs = [
  {
    point: 'fan',
    guards: { minOnSeconds: 0, minOffSeconds: 0, maxRunSeconds: null, restSeconds: 0 },
    leaseSeconds: 1,
    readBack: 'pin' as const,
  },
];
const air = { celsius: 20, swingCelsius: 0, swingSeconds: 60, startPercent: 50, restPercent: 50, humidifiedPercent: 50, tauSeconds: 10 };

describe('a stand-in whose link goes', () => {
  let broker: Aedes;
  let server: Server;
  let node: SimulatedNode;
  let confirmed: number[];
  /** Times of the records that came, ms, in the order in which they came. */
  let heard: number[];
  let folder: string;
  const until = async (check: () => boolean, what: string): Promise<void> => {
    for (let i = 0; i < 200 && !check(); i++) await new Promise((resolve) => setTimeout(resolve, 50));
    if (!check()) throw new Error(`waited in vain: ${what}`);
  };
  const fan = (): boolean => node.outputs.states().find(({ point }) => point === 'fan')!.on;
  const tell = (thresholds: OwnThreshold[], revision: number): void =>
    broker.publish(
      {
        cmd: 'publish',
        qos: 1,
        dup: false,
        retain: true,
        topic: topicOf('shelf-1', 'set'),
        payload: Buffer.from(JSON.stringify(setSchema.parse({ revision, reportSeconds: 1, outputs, thresholds }))),
      },
      () => undefined,
    );
  const hangUp = (): Promise<void> =>
    new Promise((resolve) => {
      server.close();
      broker.close(() => resolve());
    });

  beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), 'alone-'));
    heard = [];
    await listen(0);
    node = make();
    node.start();
  });
  afterEach(async () => {
    node.stop();
    await hangUp();
    rmSync(folder, { recursive: true, force: true });
  });
  async function listen(port: number): Promise<void> {
    broker = await Aedes.createBroker();
    confirmed = [];
    broker.on('publish', ({ topic, payload }) => {
      if (topic === topicOf('shelf-1', 'have')) confirmed.push((JSON.parse(payload.toString()) as { revision: number }).revision);
      if (topic === topicOf('shelf-1', 'up'))
        heard.push(...decodeUp(payload.toString(), 'shelf-1', Date.now()).samples.flatMap(({ at }) => at ?? []));
    });
    server = createServer(broker.handle);
    await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve));
  }
  function make(): SimulatedNode {
    const configuration = nodeConfigurationSchema.parse({
      revision: 1,
      node: 'shelf-1',
      key: 'k'.repeat(22),
      room: 'Loft',
      sheet: 'Climate post',
      broker: { host: '127.0.0.1', port: (server.address() as AddressInfo).port },
      networks: [{ name: 'mill', passphrase: 'nine sacks of barley' }],
      reportSeconds: 1,
      points: [{ name: 'humidity', unit: '%' }],
      outputs,
    });
    return new SimulatedNode(configuration, {
      hardwareId: 'dw-1',
      board: 'wifi-dual-38',
      flash: factoryFlash('dewnode 1.0.0', 'a'.repeat(64)),
      trialMs: 1000,
      airMishap: () => 'none',
      keep: () => undefined,
      room: new Room(air, Date.now(), 0),
      backlog: new Backlog(join(folder, 'dw-1.jsonl')),
      battery: null,
      networks: new Networks([{ name: 'mill', passphrase: 'nine sacks of barley', rssiDbm: -55 }]),
      joinMs: 1,
      noise: { celsius: 0, percent: 0 },
      patience: 1,
    });
  }

  it('follows its own threshold alone once it has confirmed it, renewing a lease of its own', async () => {
    tell([damp], 2);
    await until(() => confirmed.includes(2), 'the revision is confirmed');
    await new Promise((resolve) => setTimeout(resolve, 1500));
    // With its link it waits for commands, however damp it is.
    expect(fan()).toBe(false);
    await hangUp();
    await until(fan, 'the fan is on');
    await new Promise((resolve) => setTimeout(resolve, 4500));
    expect(fan()).toBe(true);
  });
  it('stays fail-safe where it was told of none', async () => {
    tell([], 2);
    await until(() => confirmed.includes(2), 'the revision is confirmed');
    await hangUp();
    await new Promise((resolve) => setTimeout(resolve, 3000));
    expect(fan()).toBe(false);
  });
  it('keeps what it measures meanwhile through a power cut, and sends it beside what it measures then', async () => {
    await until(() => heard.length > 0, 'its first word');
    const { port } = server.address() as AddressInfo;
    await hangUp();
    const kept = (): number[] => new Backlog(join(folder, 'dw-1.jsonl')).oldest(1000).map(({ t }) => Math.round(t * 1000));
    await until(() => kept().length >= 4, 'two rounds are in its store');
    node.stop();
    const stored = kept();
    heard = [];
    await listen(port);
    node = make();
    node.start();
    await until(() => kept().length === 0 && Math.max(0, ...heard) > Math.max(...stored), 'all of it, and what it measures anew');
    expect(stored.filter((at) => !heard.includes(at))).toEqual([]);
  });
});
