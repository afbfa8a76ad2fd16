import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

const RULE = { side: 'high', setpoint: 80, deadband: 0, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
/** A silence takes seven seconds by itself. */
const PATIENCE_MS = 20_000;

/** Two like nodes in a house, that read what a test says; rules stand on the first. */
export class TwoNodes {
  private at = Date.now() - 30_000;

  private constructor(
    readonly house: House,
    readonly near: FakeNode,
    readonly far: FakeNode,
    /** Points of the first, and of the second. */
    readonly points: Record<string, number>,
    readonly others: Record<string, number>,
  ) {}

  static async open(): Promise<TwoNodes> {
    const house = await openHouse();
    const [first, second] = [await house.node('loft-1', 'Grain loft'), await house.node('loft-2', 'Grain loft')];
    const near = await FakeNode.connect(house.server.mqttPort, 'loft-1', first.key, { retry: true });
    const far = await FakeNode.connect(house.server.mqttPort, 'loft-2', second.key, { retry: true });
    const both = new TwoNodes(house, near, far, first.points, second.points);
    await far.say(60, both.at);
    await near.say(60, both.at);
    return both;
  }

  add(body: object): Promise<Answer> {
    return this.house.maker.post('/api/v1/thresholds', { ...RULE, point: this.points['humidity'], ...body });
  }

  /** A rule in force, and what becomes of its alerts. */
  async armed(body: object) {
    const { status, body: made } = await this.add(body);
    expect([status, made.detail]).toEqual([200, undefined]);
    const id: number = made.id;
    const alerts = async (): Promise<Body[]> =>
      ((await this.house.maker.get('/api/v1/alerts')).body as Body[]).filter(({ threshold }) => threshold === id);
    const newest = async (holds: (all: Body[]) => boolean): Promise<Body> => {
      const all = await alerts();
      return holds(all) ? (all[0] ?? null) : null;
    };
    return {
      id,
      alerts,
      opened: (count = 1) => eventually(() => newest((all) => all.length === count), `${count} alerts of ${id}`, PATIENCE_MS),
      cleared: () => eventually(() => newest((all) => Boolean(all[0]?.clearedAt)), `the alert of ${id} to be over`, PATIENCE_MS),
      retire: () => this.house.maker.call('DELETE', `/api/v1/thresholds/${id}`),
    };
  }

  /** The next reading, so many seconds after the one before. */
  async read(value: number, seconds = 0.2, node = this.near): Promise<void> {
    this.at += seconds * 1000;
    await node.say(value, this.at);
  }

  /** The next is of now, or at most so long ago, ms. */
  catchUp(agoMs = 0): void {
    this.at = Math.max(this.at, Date.now() - agoMs);
  }

  async close(): Promise<void> {
    await this.near.end();
    await this.far.end();
    await this.house.close();
  }
}
