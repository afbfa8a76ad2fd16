import { newLeasedOutput, stepLeasedOutput, type LeasedOutput, type OutputGuards } from '@dewpost/core/control';
import { unitChange } from '@dewpost/core/quantity';
import { doSchema, setSchema, topicOf, type DoneMessage, type HelloMessage, type NodeConfiguration, type Upward } from '@dewpost/core/wire';
import mqtt, { type MqttClient } from 'mqtt';
import type { Battery } from './battery';
import type { Networks } from './network';
import type { Room } from './room';
import { signalValue } from './signals';
import type { SignalData } from './world';

/** What can be made to go wrong with a node. */
export interface NodeMishaps {
  silent: boolean;
  stuck: boolean;
  /** The next reading of the humidity is far outside its range. */
  wild: boolean;
}

export type BootLog = (tag: string, text: string, code?: string) => void;

interface OutputRun {
  guards: OutputGuards;
  leaseSeconds: number;
  readBack: DoneMessage['readBack'];
  state: LeasedOutput;
  lastCommand: string | null;
  answers: Map<string, DoneMessage>;
}

type Record_ = { n: string; t: number; v: number };

const STEP_MS = 200;
const BUFFERED_RECORDS = 2000;

/**
 * A node that runs on a stand-in board. Speaks only the public node protocol over MQTT; measures a simulated room, keeps its
 * readings while the link is down and sends them late, and runs its outputs by `core/control` on its own clock.
 */
export class SimulatedNode {
  readonly mishaps: NodeMishaps = { silent: false, stuck: false, wild: false };
  private client: MqttClient | null = null;
  private timers: NodeJS.Timeout[] = [];
  private readonly outputs = new Map<string, OutputRun>();
  private buffer: Record_[] = [];
  private sending = false;
  private frozen: { celsius: number; percent: number } | null = null;
  private reportSeconds: number;
  private stopped = false;
  private joined: string | null = null;
  private unwatch: () => void = () => undefined;

  constructor(
    readonly configuration: NodeConfiguration,
    private readonly parts: {
      hardwareId: string;
      firmware: string;
      firmwareSha256?: string;
      room: Room;
      battery: Battery;
      networks: Networks;
      joinMs: number;
      noise: { celsius: number; percent: number };
      /** What the points measure that are not of the air. */
      signals?: Readonly<Record<string, SignalData>>;
      /** Level at which it hears its network, dBm, where it is not the network's own. */
      levelDbm?: number;
      /** Refuses the next join whatever the passphrase is, as a router does whose passphrase was changed. */
      refuseJoin?: boolean;
      bootLog?: BootLog;
    },
  ) {
    this.reportSeconds = configuration.reportSeconds;
    for (const output of configuration.outputs) this.outputs.set(output.point, newRun(output));
  }

  get node(): string {
    return this.configuration.node;
  }

  get connected(): boolean {
    return this.client?.connected ?? false;
  }

  outputOn(point: string): boolean {
    return this.outputs.get(point)?.state.output.on ?? false;
  }

  /** Powers up: joins its network, connects, says hello, and begins to measure at once. */
  start(): void {
    this.stopped = false;
    this.unwatch = this.parts.networks.onChange((name) => {
      if (this.configuration.networks.some((network) => network.name === name)) this.networkChanged(name);
    });
    this.timers.push(setInterval(() => this.runOutputs(), STEP_MS));
    // Not all at the same instant, as after a power cut.
    this.timers.push(setTimeout(() => this.measureEvery(), Math.random() * Math.min(500, this.reportSeconds * 200)));
    this.join('power-up', 1);
  }

  /** Pulls its supply: everything stops, outputs fall off, the broker finds out by itself. */
  stop(): void {
    this.stopped = true;
    this.unwatch();
    for (const timer of this.timers) clearTimeout(timer);
    this.timers = [];
    this.drop();
    for (const [point, run] of this.outputs) {
      run.state = newLeasedOutput(performance.now());
      this.parts.room.humidify(`${this.node} ${point}`, false, Date.now());
    }
    this.buffer = [];
  }

  setMishap(kind: keyof NodeMishaps, on: boolean): void {
    this.mishaps[kind] = on;
    if (kind === 'stuck') this.frozen = null;
    if (kind !== 'silent') return;
    if (on) this.stop();
    else if (this.stopped) this.start();
  }

  private join(resetReason: string, attempt: number): void {
    if (this.stopped) return;
    // In the order they were written, one an attempt.
    const { networks } = this.configuration;
    const network = networks[(attempt - 1) % networks.length];
    if (!network) return;
    const log = this.parts.bootLog;
    log?.('scan', `${this.parts.networks.names().length} networks heard`);
    log?.('join', `${network.name}, attempt ${attempt}`);
    this.timers.push(
      setTimeout(() => {
        // Two tries may be under way when a network comes back: the first that succeeds is the link.
        if (this.joined !== null) return;
        const result = this.parts.refuseJoin
          ? ({ ok: false, code: 'wrong-passphrase', text: `${network.name} refused the passphrase` } as const)
          : this.parts.networks.join(network.name, network.passphrase);
        if (!result.ok) {
          log?.('join', result.text, result.code);
          // An always-on node goes on trying; at the bench the last refusal of the round already tells.
          if (!log || attempt < networks.length) this.timers.push(setTimeout(() => this.join(resetReason, attempt + 1), log ? 0 : 3000));
          return;
        }
        this.joined = network.name;
        log?.('join', `joined ${network.name}, ${result.rssiDbm} dBm`, 'joined');
        this.connect(resetReason, this.parts.levelDbm ?? result.rssiDbm);
      }, this.parts.joinMs),
    );
  }

  private connect(resetReason: string, rssiDbm: number): void {
    const { broker, key, node } = this.configuration;
    const log = this.parts.bootLog;
    const client = mqtt.connect({
      host: broker.host,
      port: broker.port,
      clientId: node,
      username: node,
      password: key,
      protocolVersion: 4,
      clean: true,
      reconnectPeriod: 1000,
      connectTimeout: 5000,
      queueQoSZero: false,
      will: { topic: topicOf(node, 'gone'), payload: Buffer.from('{}'), qos: 0, retain: false },
    });
    this.client = client;
    let greeted = false;
    client.on('connect', () => {
      log?.('broker', `connected to ${broker.host}:${broker.port}`);
      client.subscribe([topicOf(node, 'set'), topicOf(node, 'do'), topicOf(node, 'refused')], { qos: 1 });
      // Hello is said once a start; a link that comes back is not a start.
      if (!greeted) {
        greeted = true;
        this.publish('hello', this.hello(resetReason, rssiDbm));
        for (const point of this.outputs.keys()) this.tell(point, null, 'ended', 'power-up');
      } else {
        for (const [point, run] of this.outputs)
          this.tell(point, run.lastCommand, run.state.output.on ? 'done' : 'ended', run.state.output.reason);
      }
      void this.flush();
    });
    client.on('message', (topic, payload) => this.receive(topic, payload.toString('utf8')));
    client.on('error', (error) => {
      const refused = /not authorized|bad user|refused:/i.test(error.message);
      log?.(
        'broker',
        refused ? 'the broker refused the key' : `the broker cannot be reached: ${error.message}`,
        refused ? 'broker-refused' : 'broker-unreachable',
      );
    });
  }

  private hello(resetReason: string, rssiDbm: number): HelloMessage {
    return {
      firmware: this.parts.firmware,
      firmwareSha256: this.parts.firmwareSha256,
      hardwareId: this.parts.hardwareId,
      resetReason,
      rssiDbm,
      address: '127.0.0.1',
      batteryVolts: Math.round(this.parts.battery.volts() * 100) / 100,
      points: this.configuration.points.map((point) => point.name),
    };
  }

  private networkChanged(name: string): void {
    if (this.parts.networks.isUp(name)) {
      if (this.joined === null) this.join('link', 1);
    } else if (this.joined === name) {
      this.joined = null;
      this.drop();
      if (this.configuration.networks.length > 1) this.join('link', 1);
    }
  }

  /** Cuts the connection without a farewell. */
  private drop(): void {
    this.client?.stream.destroy();
    this.client?.end(true);
    this.client = null;
    this.sending = false;
  }

  private measureEvery(): void {
    const measure = (): void => {
      const now = Date.now();
      this.parts.battery.draw(this.reportSeconds, 1);
      const air = { celsius: this.parts.room.celsius(now), percent: this.parts.room.percent(now) };
      if (this.mishaps.stuck) this.frozen ??= { celsius: round(air.celsius), percent: round(air.percent) };
      const noisy = this.frozen ?? {
        celsius: round(air.celsius + noise(this.parts.noise.celsius)),
        percent: Math.min(100, round(air.percent + noise(this.parts.noise.percent))),
      };
      const percent = this.mishaps.wild ? 320 : noisy.percent;
      this.mishaps.wild = false;
      const values: Record<string, number> = { temperature: noisy.celsius, humidity: percent };
      for (const { name } of this.configuration.points) {
        if (name in values || this.outputs.has(name)) continue;
        // A second thermometer of a node hangs in the same room, a little apart.
        const again = /^temperature-(\d)$/.exec(name);
        const value = again
          ? round(noisy.celsius + 0.4 * Number(again[1]))
          : signalValue(this.parts.signals ?? {}, this.node, name, now, Math.random);
        if (value !== null) values[name] = value;
      }
      for (const point of this.outputs.keys()) values[point] = Number(this.outputOn(point));
      this.keep(now, values);
    };
    measure();
    this.timers.push(setInterval(measure, this.reportSeconds * 1000));
  }

  private keep(now: number, values: Record<string, number>): void {
    const units = new Map(this.configuration.points.map((point) => [point.name, point.unit]));
    const records = Object.entries(values).flatMap(([n, v]) => {
      const unit = units.get(n);
      if (unit === undefined) return [];
      // Temperatures are simulated in °C and sent in the unit that the node was written with.
      const change = n.startsWith('temperature') ? unitChange('°C', unit) : null;
      return [{ n, t: now / 1000, v: change ? round(v * change.factor + change.offset) : v }];
    });
    this.buffer.push(...records);
    if (this.buffer.length > BUFFERED_RECORDS) this.buffer.splice(0, this.buffer.length - BUFFERED_RECORDS);
    void this.flush();
  }

  /** Sends what is kept, oldest first; what is not acknowledged stays kept. */
  private async flush(): Promise<void> {
    if (this.sending || !this.client?.connected) return;
    this.sending = true;
    try {
      while (this.buffer.length > 0 && this.client?.connected) {
        const part = this.buffer.slice(0, 300);
        const [first] = part;
        const pack = part.map((record, i) =>
          i === 0
            ? { bn: `${this.node}:`, bt: first?.t, n: record.n, v: record.v }
            : { n: record.n, t: Math.round((record.t - (first?.t ?? 0)) * 1000) / 1000, v: record.v },
        );
        await this.client.publishAsync(topicOf(this.node, 'up'), JSON.stringify(pack), { qos: 1 });
        this.buffer.splice(0, part.length);
      }
    } catch {
      // The link went down under way: everything not acknowledged is still in the buffer and goes out at the next connect.
    } finally {
      this.sending = false;
    }
  }

  private publish(channel: Upward, message: object): void {
    if (this.client?.connected) this.client.publish(topicOf(this.node, channel), JSON.stringify(message), { qos: 1 });
  }

  private receive(topic: string, text: string): void {
    let body: unknown;
    try {
      body = JSON.parse(text);
    } catch {
      this.publish('log', { level: 'warning', text: `a message on ${topic} was not JSON` });
      return;
    }
    if (topic === topicOf(this.node, 'do')) this.command(body);
    if (topic === topicOf(this.node, 'set')) this.configure(body);
  }

  private configure(body: unknown): void {
    const parsed = setSchema.safeParse(body);
    if (!parsed.success) return;
    for (const output of parsed.data.outputs) {
      const run = this.outputs.get(output.point);
      if (run) run.guards = guardsOf(output.guards);
    }
    this.publish('have', { revision: parsed.data.revision });
  }

  private command(body: unknown): void {
    const parsed = doSchema.safeParse(body);
    const run = parsed.success ? this.outputs.get(parsed.data.point) : undefined;
    if (!parsed.success || !run) return;
    const command = parsed.data;
    const before = run.answers.get(command.id);
    if (before) {
      this.publish('done', before);
      return;
    }
    if (Date.now() > command.notAfter) {
      this.answer(command.point, command.id, 'refused', 'expired');
      return;
    }
    const at = performance.now();
    run.lastCommand = command.id;
    const event = command.value
      ? ({ kind: 'command', at, on: true, leaseMs: command.leaseSeconds * 1000 } as const)
      : command.reason === 'hand'
        ? ({ kind: 'off-by-hand', at } as const)
        : command.reason === 'sensor-lost'
          ? ({ kind: 'fail-safe', at } as const)
          : ({ kind: 'command', at, on: false, leaseMs: command.leaseSeconds * 1000 } as const);
    const wasOn = run.state.output.on;
    run.state = stepLeasedOutput(run.guards, run.state, event);
    if (run.state.output.on !== wasOn) this.moved(command.point, run);
    this.answer(command.point, command.id, run.state.output.on === command.value ? 'done' : 'held', run.state.output.reason);
  }

  /** Time passes for the outputs: leases and maximum runs end, held commands are granted. */
  private runOutputs(): void {
    for (const [point, run] of this.outputs) {
      const wasOn = run.state.output.on;
      run.state = stepLeasedOutput(run.guards, run.state, { kind: 'tick', at: performance.now() });
      if (run.state.output.on === wasOn) continue;
      this.moved(point, run);
      const byItself = run.state.output.reason === 'lease' || run.state.output.reason === 'max-run';
      this.tell(point, run.lastCommand, byItself ? 'ended' : 'done', run.state.output.reason);
    }
  }

  private moved(point: string, run: OutputRun): void {
    this.parts.room.humidify(`${this.node} ${point}`, run.state.output.on, Date.now());
    this.keep(Date.now(), { [point]: Number(run.state.output.on) });
  }

  private answer(point: string, id: string, result: DoneMessage['result'], reason: string): void {
    const message = this.message(point, id, result, reason);
    const run = this.outputs.get(point);
    if (!message || !run) return;
    run.answers.set(id, message);
    if (run.answers.size > 64) run.answers.delete(run.answers.keys().next().value ?? '');
    this.publish('done', message);
  }

  private tell(point: string, id: string | null, result: DoneMessage['result'], reason: string): void {
    const message = this.message(point, id, result, reason);
    if (message) this.publish('done', message);
  }

  private message(point: string, id: string | null, result: DoneMessage['result'], reason: string): DoneMessage | null {
    const run = this.outputs.get(point);
    if (!run) return null;
    const { output } = run.state;
    const now = performance.now();
    const lastedMs = Math.max(0, now - output.changedAt);
    const until = {
      'min-off': output.changedAt + run.guards.minOffMs,
      'min-on': output.changedAt + run.guards.minOnMs,
      rest: output.restUntil ?? now,
      'max-run': output.restUntil ?? now,
    }[reason];
    return {
      id,
      point,
      result,
      reason,
      state: output.on,
      readBack: run.readBack,
      lastedMs: Math.round(lastedMs),
      ...(until !== undefined && { waitMs: Math.max(0, Math.round(until - now)) }),
    };
  }
}

function guardsOf(guards: NodeConfiguration['outputs'][number]['guards']): OutputGuards {
  return {
    minOnMs: guards.minOnSeconds * 1000,
    minOffMs: guards.minOffSeconds * 1000,
    maxRunMs: guards.maxRunSeconds === null ? null : guards.maxRunSeconds * 1000,
    restMs: guards.restSeconds * 1000,
    dailyCapMs: null,
  };
}

const newRun = (output: NodeConfiguration['outputs'][number]): OutputRun => ({
  guards: guardsOf(output.guards),
  leaseSeconds: output.leaseSeconds,
  readBack: output.readBack,
  state: newLeasedOutput(performance.now()),
  lastCommand: null,
  answers: new Map(),
});

const round = (value: number): number => Math.round(value * 100) / 100;
const noise = (width: number): number => (Math.random() + Math.random() + Math.random() - 1.5) * width;
