import { bodyWithin, fillTemplate, type ForwardReading } from '@dewpost/core/forward';
import mqtt, { type MqttClient } from 'mqtt';
import { isIP } from 'node:net';
import { bareHost } from '../net/internal';
import { placeOf } from '../net/outgoing';
import { post } from '../net/post';
import { randomToken } from '../vault/vault';
import type { ForwardSettings } from './entries';

const PATIENCE_MS = 10_000;
/** Messages to a broker that are on their way at once. */
const AT_ONCE = 50;

/** Sends readings to one receiver. */
export interface Sender {
  /** Sends from the front of these, as one message, or a few to a broker; gives how many arrived. Rejects with words where none did. */
  send(readings: readonly ForwardReading[], mostMessages: number): Promise<{ arrived: number; messages: number }>;
  close(): Promise<void>;
}

/** One reading alone is longer than the receiver takes: it never goes, however often it is tried. */
export class TooLong extends Error {}

export function senderOf(settings: ForwardSettings, secret: string, allowed: readonly string[]): Sender {
  return settings.kind === 'http' ? new PostSender(settings, secret, allowed) : new BrokerSender(settings, secret, allowed);
}

type Post = Extract<ForwardSettings, { kind: 'http' }>;
type Broker = Extract<ForwardSettings, { kind: 'mqtt' }>;

class PostSender implements Sender {
  constructor(
    private readonly settings: Post,
    private readonly secret: string,
    private readonly allowed: readonly string[],
  ) {}

  async send(readings: readonly ForwardReading[]): Promise<{ arrived: number; messages: number }> {
    const { url, body: template, cap, authority } = this.settings;
    const { body, used } = bodyWithin(template, readings, cap);
    if (used === 0) throw new TooLong(`one reading alone is longer than ${cap.bytes} bytes: shorten the template, or allow more`);
    const headers = { 'content-type': template.contentType, ...(this.secret !== '' && { authorization: this.secret }) };
    await post(url, { body, headers, authority }, this.allowed);
    return { arrived: used, messages: 1 };
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}

class BrokerSender implements Sender {
  private client: MqttClient | null = null;

  constructor(
    private readonly settings: Broker,
    private readonly secret: string,
    private readonly allowed: readonly string[],
  ) {}

  /** In order, at most so many at once; those before the first that failed have arrived. */
  async send(readings: readonly ForwardReading[], mostMessages: number): Promise<{ arrived: number; messages: number }> {
    const { topic, payload, cap } = this.settings;
    const some = readings.slice(0, Math.min(AT_ONCE, mostMessages));
    const messages = some.map((reading) => ({
      topic: fillTemplate(topic, reading, 'topic'),
      text: fillTemplate(payload, reading, 'text'),
    }));
    const long = messages.findIndex(({ text }) => Buffer.byteLength(text) > cap.bytes);
    if (long === 0) throw new TooLong(`one reading alone is longer than ${cap.bytes} bytes: shorten the payload, or allow more`);
    const client = await this.connected();
    const going = long < 0 ? messages : messages.slice(0, long);
    const results = await Promise.allSettled(going.map((message) => inTime(client.publishAsync(message.topic, message.text, { qos: 1 }))));
    const failed = results.findIndex(({ status }) => status === 'rejected');
    if (failed >= 0) await this.close();
    const first = results[0];
    if (failed === 0 && first?.status === 'rejected') throw first.reason;
    return { arrived: failed < 0 ? going.length : failed, messages: going.length };
  }

  async close(): Promise<void> {
    const { client } = this;
    this.client = null;
    await client?.endAsync(true);
  }

  private async connected(): Promise<MqttClient> {
    if (this.client?.connected) return this.client;
    await this.close();
    const { url, user, authority } = this.settings;
    const target = new URL(url);
    const tls = target.protocol === 'mqtts:';
    const port = Number(target.port) || (tls ? 8883 : 1883);
    const place = await placeOf(target.hostname, port, this.allowed);
    const name = bareHost(target.hostname);
    const client = await mqtt.connectAsync({
      protocol: tls ? 'mqtts' : 'mqtt',
      host: place.address,
      port,
      ...(tls && isIP(name) === 0 && { servername: name }),
      ...(authority !== '' && { ca: authority }),
      ...(user !== '' && { username: user }),
      ...(this.secret !== '' && { password: this.secret }),
      clientId: `dew-post-${randomToken(6)}`,
      connectTimeout: PATIENCE_MS,
      reconnectPeriod: 0,
    });
    // What goes wrong with it is seen by whoever publishes next.
    client.on('error', () => undefined);
    this.client = client;
    return client;
  }
}

function inTime<T>(work: Promise<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error(`the broker did not acknowledge in ${PATIENCE_MS / 1000} s`)), PATIENCE_MS);
    work.finally(() => clearTimeout(timer)).then(resolve, reject);
  });
}
