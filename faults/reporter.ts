import type { DoMessage } from '@dewpost/core/wire';
import mqtt, { type MqttClient } from 'mqtt';

/** Records of one message. */
const PACK = 10;

/** A node that reports its humidity, keeps account of what was acknowledged, and obeys its output's commands and leases. */
export class Reporter {
  /** Acknowledged readings: their time (ms) and value. */
  readonly acknowledged = new Map<number, number>();
  readonly sent = new Map<number, number>();
  readonly refused: unknown[] = [];
  /** Commands to go on that came after they had expired. */
  readonly tooLate: DoMessage[] = [];
  commands = 0;
  private on = false;
  private leaseEnds = 0;
  private client: MqttClient | null = null;
  private timer: NodeJS.Timeout | null = null;
  private lastAt = 0;
  private readonly store: [at: number, humidity: number][] = [];
  private sending = false;

  constructor(
    readonly id: string,
    private readonly key: string,
    /** Number of its point `humidity`, and of its output. */
    readonly point: number,
    readonly output: number,
  ) {}

  /** What its output was told last. */
  get toldOn(): boolean {
    return this.on;
  }

  /** Says a humidity without a time: the house takes that of its arrival. */
  async sayNow(humidity: number): Promise<void> {
    await this.client?.publishAsync(`dp/1/${this.id}/up`, JSON.stringify([{ n: 'humidity', v: humidity }]), { qos: 1 });
  }

  /** Posts whatever it is; gives the answer's status. */
  async post(address: string, body: unknown): Promise<number> {
    const answer = await fetch(`${address}/node/v1/up`, {
      method: 'POST',
      headers: { authorization: `Bearer ${this.key}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    await answer.text();
    return answer.status;
  }

  /** The output's state: on while its lease runs. */
  get outputOn(): boolean {
    return this.on && Date.now() < this.leaseEnds;
  }

  async connect(port: number): Promise<void> {
    const client = await mqtt.connectAsync({
      host: '127.0.0.1',
      port,
      protocolVersion: 4,
      clientId: this.id,
      username: this.id,
      password: this.key,
      clean: true,
      reconnectPeriod: 150,
      connectTimeout: 4000,
    });
    this.client = client;
    client.on('error', () => undefined); // said by what is missing in the accounts
    client.on('message', (topic, payload) => {
      const message = JSON.parse(payload.toString()) as DoMessage & { refused?: unknown[] };
      if (topic.endsWith('/refused')) this.refused.push(...(message.refused ?? []));
      if (topic.endsWith('/do')) this.obey(message);
    });
    await client.subscribeAsync([`dp/1/${this.id}/do`, `dp/1/${this.id}/refused`], { qos: 1 });
    await client.publishAsync(`dp/1/${this.id}/hello`, JSON.stringify({ firmware: 'dewnode 1.0.0', resetReason: 'power-up', points: [] }), {
      qos: 1,
    });
  }

  /** Takes a humidity, to be said with its time as soon as it can be. */
  take(humidity: number): void {
    const at = Math.max(Date.now(), this.lastAt + 1);
    this.lastAt = at;
    this.sent.set(at, humidity);
    this.store.push([at, humidity]);
    if (!this.sending) void this.send();
  }

  /** Sends what it has stored, in order, a few records at a time; what is not answered is sent again. */
  private async send(): Promise<void> {
    this.sending = true;
    while (this.store.length > 0) {
      const pack = this.store.slice(0, PACK);
      const records = pack.map(([at, v]) => ({ n: 'humidity', t: at / 1000, v }));
      const answered = await (
        this.client?.publishAsync(`dp/1/${this.id}/up`, JSON.stringify(records), { qos: 1 }) ?? Promise.reject(new Error())
      ).then(
        () => true,
        () => false,
      );
      if (!answered) {
        await new Promise((resolve) => setTimeout(resolve, 200));
        continue;
      }
      this.store.splice(0, pack.length);
      for (const [at, humidity] of pack) this.acknowledged.set(at, humidity);
    }
    this.sending = false;
  }

  /** Reports so often, now dry and now damp. */
  reportEvery(ms: number): void {
    this.timer = setInterval(() => {
      const dry = Math.random() < 0.3;
      this.take(dry ? 45 + Math.random() * 10 : 66 + Math.random() * 10);
    }, ms);
  }

  /** Takes no more but a last, damp reading. */
  settle(): void {
    if (this.timer) clearInterval(this.timer);
    this.take(80);
  }

  get unanswered(): number {
    return this.sent.size - this.acknowledged.size;
  }

  async end(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.client?.endAsync(true);
  }

  private obey(command: DoMessage): void {
    this.commands++;
    if (command.value && Date.now() > command.notAfter + 1000) this.tooLate.push(command);
    this.on = command.value;
    this.leaseEnds = Date.now() + command.leaseSeconds * 1000;
    const done = { id: command.id, point: command.point, result: 'done', reason: 'demand', state: command.value, readBack: 'contact' };
    this.client?.publish(`dp/1/${this.id}/done`, JSON.stringify(done), { qos: 1 });
  }
}
