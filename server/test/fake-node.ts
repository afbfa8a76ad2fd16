import type { DoneMessage, DoMessage } from '@dewpost/core/wire';
import { topicOf } from '@dewpost/core/wire';
import mqtt, { type MqttClient } from 'mqtt';

/** A node of the outside: its own MQTT client, nothing of the server's. */
export class FakeNode {
  readonly commands: DoMessage[] = [];
  readonly refused: { point: string | null; why: string }[] = [];
  closed = false;
  private static readonly all = new Set<FakeNode>();
  private constructor(
    readonly name: string,
    readonly client: MqttClient,
    /** Does it do what it is told, and say so? */
    public obeys: boolean,
  ) {
    client.on('message', (topic, payload) => {
      const message = JSON.parse(payload.toString());
      if (topic.endsWith('/refused')) this.refused.push(...message.refused);
      if (!topic.endsWith('/do')) return;
      this.commands.push(message);
      if (this.obeys)
        this.done({ id: message.id, point: message.point, result: 'done', reason: 'demand', state: message.value, readBack: 'contact' });
    });
    FakeNode.all.add(this);
    client.on('close', () => (this.closed = true));
    client.on('error', () => undefined);
  }

  static async connect(
    port: number,
    name: string,
    key: string,
    options: { clientId?: string; obeys?: boolean; hello?: boolean; retry?: boolean } = {},
  ): Promise<FakeNode> {
    const client = await mqtt.connectAsync({
      host: '127.0.0.1',
      port,
      protocolVersion: 4,
      clientId: options.clientId ?? name,
      username: name,
      password: key,
      clean: true,
      reconnectPeriod: options.retry ? 100 : 0,
      connectTimeout: 4000,
    });
    const node = new FakeNode(name, client, options.obeys ?? true);
    await client.subscribeAsync([topicOf(name, 'do'), topicOf(name, 'refused')], { qos: 1 });
    if (options.hello ?? true)
      await client.publishAsync(
        topicOf(name, 'hello'),
        JSON.stringify({ firmware: 'dewnode 1.0.0', resetReason: 'power-up', points: [] }),
        { qos: 1 },
      );
    return node;
  }
  up = async (records: unknown): Promise<void> =>
    void (await this.client.publishAsync(topicOf(this.name, 'up'), typeof records === 'string' ? records : JSON.stringify(records), {
      qos: 1,
    }));
  say = (humidity: number, at = Date.now()): Promise<void> =>
    this.up([
      { n: 'temperature', t: at / 1000, v: 25 },
      { n: 'humidity', t: at / 1000, v: humidity },
    ]);
  done = (message: Partial<DoneMessage>): void => void this.client.publish(topicOf(this.name, 'done'), JSON.stringify(message), { qos: 1 });
  async end(): Promise<void> {
    FakeNode.all.delete(this);
    await this.client.endAsync(true);
  }
  /** Those a test that failed has left behind: they would go on connecting. */
  static async endAll(): Promise<void> {
    for (const node of FakeNode.all) await node.end();
  }
}
