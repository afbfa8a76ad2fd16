import {
  demandedAlone,
  newLeasedOutput,
  stepLeasedOutput,
  stepOwn,
  type LeasedOutput,
  type OutputGuards,
  type OwnStates,
} from '@dewpost/core/control';
import type { AirMishap, PortMishap } from '@dewpost/core/mishaps';
import { unitChange } from '@dewpost/core/quantity';
import {
  askSchema,
  doSchema,
  helloSchema,
  setSchema,
  topicOf,
  type AskMessage,
  type DoneMessage,
  type HelloMessage,
  type NodeConfiguration,
  type OwnThreshold,
  type Upward,
  type WakeReason,
  isExpired,
  WAKE_POINT,
  WAKE_REASONS,
} from '@dewpost/core/wire';
import mqtt, { type MqttClient } from 'mqtt';
import * as z from 'zod';
import { backOffSeconds, SETUP_OPEN_SECONDS, setupNetworkOf, type LampState } from '@dewpost/core/joining';
import { Backlog, type KeptRecord } from './backlog';
import type { Battery } from './battery';
import { afterJoinMishap, joinMishap } from './join-mishaps';
import type { Networks } from './network';
import type { Room } from './room';
import { signalValue } from './signals';
import { LeafGateway } from './leaf-gateway';
import { Updater, type Flash } from './updater';
import type { SignalData } from './world';

/** What can be made to go wrong with a node. */
export interface NodeMishaps {
  silent: boolean;
  stuck: boolean;
  /** The next reading of the humidity is far outside its range. */
  wild: boolean;
}

export type BootLog = (tag: string, text: string, code?: string, heard?: { name: string; dbm: number }[]) => void;

interface OutputRun {
  guards: OutputGuards;
  leaseSeconds: number;
  readBack: DoneMessage['readBack'];
  state: LeasedOutput;
  lastCommand: string | null;
  answers: Map<string, DoneMessage>;
}

const leafWordSchema = z.object({ r: z.array(z.object({ n: z.string(), v: z.number() })), h: helloSchema.optional() });

const STEP_MS = 200;
const SLOT_BYTES = 1_310_720;
const POWER_BACK_MS = 1500;
const MAINS_VOLTS = 5.05;
/** Records in one message. */
const PIECE = 300;

/**
 * A node that runs on a stand-in board. Speaks only the public node protocol over MQTT; measures a simulated room, keeps its
 * readings while the link is down and sends them late, and runs its outputs by `core/control` on its own clock.
 */
export class SimulatedNode {
  readonly mishaps: NodeMishaps = { silent: false, stuck: false, wild: false };
  private client: MqttClient | null = null;
  private timers: NodeJS.Timeout[] = [];
  private readonly outputs = new Map<string, OutputRun>();
  private measuring: NodeJS.Timeout | null = null;
  readonly updater: Updater;
  /** An image is being written: outputs stay fail-safe. */
  private updating = false;
  /** Measured and not acknowledged yet: goes out before what its store holds. */
  private live: KeptRecord[] = [];
  private readonly backlog: Backlog;
  private sending = false;
  private frozen: { celsius: number; percent: number } | null = null;
  private reportSeconds: number;
  private stopped = false;
  private joined: string | null = null;
  /** Level at which it hears its network, dBm. */
  private level = -60;
  /** Runs from its start until an image comes over the air; `null`: its board has none. */
  secondRadio: 'on' | 'off' | null;
  /** What its lamp shows. */
  lamp: LampState = 'searching';
  /** Who listens at its serial port hears it say what it sends; nobody does mostly. */
  console: ((tag: string, text: string) => void) | null = null;
  private mishap: PortMishap;
  private joinBegan = 0;
  private rounds = 0;
  private setupUntil: number | null = null;
  /** Thresholds that it may follow alone, and where each stands. */
  private thresholds: readonly OwnThreshold[] = [];
  private own: OwnStates = new Map();
  private readonly newest = new Map<string, number>();
  /** Its other side, where it is a gateway. */
  readonly leafSide: LeafGateway | null;
  private vanish: () => void = () => undefined;
  private unwatch: () => void = () => undefined;

  constructor(
    readonly configuration: NodeConfiguration,
    private readonly parts: {
      hardwareId: string;
      /** Profile of its board, and its two slots. */
      board: string;
      flash: Flash;
      trialMs: number;
      airMishap: () => AirMishap;
      /** What its store holds has changed. */
      keep(): void;
      room: Room;
      /** What it did not get through, in its store; in memory where nothing is said. */
      backlog?: Backlog;
      /** `null`: on the mains. */
      battery: Battery | null;
      networks: Networks;
      joinMs: number;
      noise: { celsius: number; percent: number };
      /** What the points measure that are not of the air. */
      signals?: Readonly<Record<string, SignalData>>;
      /** Level at which it hears its network, dBm, where it is not the network's own. */
      levelDbm?: number;
      /** What goes wrong when it joins, set at the port it was written at. */
      mishap?: PortMishap;
      /** How fast its waiting goes against real time. */
      patience: number;
      bootLog?: BootLog;
    },
  ) {
    this.reportSeconds = configuration.reportSeconds;
    this.backlog = parts.backlog ?? new Backlog(null);
    // The profiles of boards say which have one.
    this.secondRadio = /^wifi-single/.test(parts.board) ? null : 'on';
    this.mishap = parts.mishap ?? 'none';
    this.leafSide = configuration.accessPoint ? new LeafGateway((leaf, body) => this.passOn(leaf, body)) : null;
    for (const output of configuration.outputs) this.outputs.set(output.point, newRun(output));
    this.updater = new Updater(parts.flash, {
      board: parts.board,
      slotBytes: SLOT_BYTES,
      trialMs: parts.trialMs,
      hasOutputs: configuration.outputs.length > 0,
      trustedKeys: () => configuration.trustedKeys,
      key: () => this.configuration.key,
      brokerHost: configuration.broker.host,
      mishap: parts.airMishap,
      report: (update) => {
        if (update.state === 'refused' || update.state === 'kept') {
          this.updating = false;
          this.secondRadio &&= 'on';
        }
        this.publish('have', { revision: this.configuration.revision, update });
      },
      makeSafe: () => this.makeSafe(),
      restart: (why) => this.restart(why, 300),
      losePower: () => this.restart('power-up', POWER_BACK_MS),
      keep: () => parts.keep(),
    });
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
  start(resetReason = 'power-up'): void {
    this.stopped = false;
    this.updating = false;
    this.updater.boot();
    this.unwatch = this.parts.networks.onChange((name) => {
      if (this.configuration.networks.some((network) => network.name === name)) this.networkChanged(name);
    });
    this.timers.push(setInterval(() => this.runOutputs(), STEP_MS));
    // Not all at the same instant, as after a power cut.
    this.timers.push(setTimeout(() => this.measureEvery(), Math.random() * Math.min(500, this.reportSeconds * 200)));
    // An image that never gets a word out does not even join.
    this.openAccessPoint();
    this.joinBegan = performance.now();
    if (!this.updater.mute) this.join(resetReason, 1);
  }

  private openAccessPoint(): void {
    const { accessPoint } = this.configuration;
    if (!accessPoint || !this.leafSide) return;
    this.vanish = this.parts.networks.appear({ name: accessPoint.name, passphrase: accessPoint.passphrase, rssiDbm: -63 });
    this.leafSide
      .listen(accessPoint.port)
      .catch((error: unknown) => this.publish('log', { level: 'fault', text: `cannot hear its leaves: ${String(error)}` }));
  }

  /** A word of a leaf, on the leaf's own topics with this node's session. What cannot go out now is kept until it can. */
  private passOn(leaf: string, body: string): void {
    let said: unknown;
    try {
      said = JSON.parse(body);
    } catch {
      return this.publish('log', { level: 'warning', text: `a word of ${leaf} was not JSON` });
    }
    const word = leafWordSchema.safeParse(said);
    if (!word.success) return;
    const t = Date.now() / 1000;
    const out: [Upward, unknown][] = [];
    if (word.data.h) out.push(['hello', word.data.h]);
    if (word.data.r.length > 0) out.push(['up', word.data.r.map((record) => ({ ...record, t }))]);
    this.forLeaves.push(...out.map(([channel, message]) => ({ topic: topicOf(leaf, channel), text: JSON.stringify(message) })));
    void this.flushLeaves();
  }
  private forLeaves: { topic: string; text: string }[] = [];
  private async flushLeaves(): Promise<void> {
    while (this.forLeaves[0] && this.client?.connected) {
      const [first] = this.forLeaves;
      const sent = await this.client.publishAsync(first.topic, first.text, { qos: 1 }).then(
        () => true,
        () => false,
      );
      if (!sent) return;
      this.forLeaves = this.forLeaves.filter((one) => one !== first);
    }
  }

  /** Starts anew after a while without power; what it has not sent yet is in its store. */
  private restart(why: string, afterMs: number): void {
    this.stop();
    this.timers.push(setTimeout(() => this.start(why), afterMs));
  }

  /** Gives what became of its second radio. */
  private makeSafe(): 'off' | 'none' {
    this.updating = true;
    for (const [point, run] of this.outputs) {
      const wasOn = run.state.output.on;
      run.state = stepLeasedOutput(run.guards, run.state, { kind: 'fail-safe', at: performance.now() });
      if (!wasOn) continue;
      this.moved(point, run);
      this.tell(point, run.lastCommand, 'ended', 'updating');
    }
    this.secondRadio &&= 'off';
    return this.secondRadio ?? 'none';
  }

  /** Pulls its supply: everything stops, outputs fall off, the broker finds out by itself. */
  stop(): void {
    this.stopped = true;
    this.updater.halt();
    this.joined = null;
    if (this.measuring) clearInterval(this.measuring);
    this.measuring = null;
    this.leafSide?.close();
    this.vanish();
    this.unwatch();
    for (const timer of this.timers) clearTimeout(timer);
    this.timers = [];
    this.drop();
    for (const [point, run] of this.outputs) {
      run.state = newLeasedOutput(performance.now());
      this.parts.room.humidify(`${this.node} ${point}`, false, Date.now());
    }
    this.store();
  }

  /** What has not got through goes into its store. */
  private store(): void {
    this.backlog.add(this.live, Date.now() / 1000);
    this.live = [];
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
    const heard = this.parts.networks.heard();
    log?.('scan', `${heard.length} networks heard`, undefined, heard);
    log?.('join', `${network.name}, attempt ${attempt}`);
    this.timers.push(
      setTimeout(() => {
        // Two tries may be under way when a network comes back: the first that succeeds is the link.
        if (this.joined !== null || this.stopped) return;
        const result = joinMishap(this.mishap, network.name, heard) ?? this.parts.networks.join(network);
        if (!result.ok) {
          log?.('join', result.text, result.code, result.heard);
          const roundOver = attempt % networks.length === 0;
          if (roundOver && performance.now() - this.joinBegan > this.patienceMs()) return this.giveUp(resetReason);
          this.timers.push(setTimeout(() => this.join(resetReason, attempt + 1), roundOver ? this.scaled(3) : 0));
          return;
        }
        this.joined = network.name;
        this.setupUntil = null;
        this.rounds = 0;
        log?.('join', `joined ${network.name}, ${result.rssiDbm} dBm`, 'joined');
        const after = afterJoinMishap(this.mishap);
        if (after) {
          log?.('broker', after.text, after.code);
          return;
        }
        this.connect(resetReason, this.parts.levelDbm ?? result.rssiDbm);
      }, this.parts.joinMs),
    );
  }

  private scaled(seconds: number): number {
    return seconds * 1000 * this.parts.patience;
  }
  private patienceMs(): number {
    return this.scaled(this.configuration.join.seconds);
  }

  /** No network would have it: one on the mains opens its set-up network and goes on trying, one on a battery sleeps ever longer. */
  private giveUp(resetReason: string): void {
    const log = this.parts.bootLog;
    if (this.configuration.join.then === 'set-up') {
      if (this.setupUntil === null) {
        this.setupUntil = Date.now() + this.scaled(SETUP_OPEN_SECONDS);
        this.lamp = 'set-up';
        log?.('setup', `set-up network ${setupNetworkOf(this.node)} open, ${SETUP_OPEN_SECONDS / 60} min`, 'setup-open');
        this.timers.push(setTimeout(() => (this.setupUntil = null), this.scaled(SETUP_OPEN_SECONDS)));
      }
      this.timers.push(setTimeout(() => this.join(resetReason, 1), this.scaled(15)));
      return;
    }
    const seconds = backOffSeconds(++this.rounds);
    log?.('join', `gives up for now, sleeps ${seconds} s`, 'backing-off');
    this.timers.push(
      setTimeout(() => {
        this.joinBegan = performance.now();
        this.join(resetReason, 1);
      }, this.scaled(seconds)),
    );
  }

  /** Of its own page: where it is, until when its set-up is open, what it hears. */
  get joinedNetwork(): string | null {
    return this.joined;
  }
  get setupOpen(): number | null {
    return this.setupUntil;
  }
  scan(): { name: string; dbm: number }[] {
    return this.parts.networks.heard();
  }
  /** Saved on its set-up page: tried first from now on. */
  setNetwork(name: string, passphrase: string | null): void {
    const others = this.configuration.networks.filter((network) => network.name !== name).slice(0, 4);
    this.configuration.networks = [{ name, passphrase }, ...others];
    this.mishap = 'none';
    this.parts.keep();
    this.joinBegan = performance.now();
    this.join('set up', 1);
  }
  readings(): { point: string; value: number; unit: string }[] {
    return this.configuration.points.flatMap(({ name, unit }) => {
      const value = this.newest.get(name);
      return value === undefined || this.outputs.has(name) ? [] : [{ point: name, value, unit }];
    });
  }
  outputStates(): { point: string; on: boolean }[] {
    return [...this.outputs.keys()].map((point) => ({ point, on: this.outputOn(point) }));
  }
  /** Switched at its own page: obeys every guard, with a lease like any command. Gives what holds it, `null`: done. */
  switchHere(point: string, on: boolean): string | null {
    const run = this.outputs.get(point);
    if (!run) return 'there is no such output';
    if (on && this.updating) return 'updating';
    const wasOn = run.state.output.on;
    const at = performance.now();
    run.state = stepLeasedOutput(run.guards, run.state, on ? { kind: 'command', at, on, leaseMs: 60_000 } : { kind: 'off-by-hand', at });
    if (run.state.output.on !== wasOn) this.moved(point, run);
    this.tell(point, null, run.state.output.on === on ? 'done' : 'held', run.state.output.reason);
    return run.state.output.on === on ? null : run.state.output.reason;
  }

  private connect(resetReason: string, rssiDbm: number, greetedBefore = false): void {
    this.level = rssiDbm;
    this.lamp = 'joined';
    const { broker, node } = this.configuration;
    const { key } = this.configuration;
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
    let greeted = greetedBefore;
    client.on('connect', () => {
      log?.('broker', `connected to ${broker.host}:${broker.port}`);
      client.subscribe([topicOf(node, 'set'), topicOf(node, 'do'), topicOf(node, 'refused')], { qos: 1 });
      // Hello is said once a start; a link that comes back is not a start.
      if (!greeted) {
        greeted = true;
        client.publish(topicOf(node, 'hello'), JSON.stringify(this.hello(resetReason, rssiDbm)), { qos: 1 }, (error) => {
          if (error) return;
          this.updater.reportedIn();
          const fell = this.updater.fellBack();
          if (fell) this.publish('have', { revision: this.configuration.revision, update: fell });
        });
        for (const point of this.outputs.keys()) this.tell(point, null, 'ended', 'power-up');
      } else {
        for (const [point, run] of this.outputs)
          this.tell(point, run.lastCommand, run.state.output.on ? 'done' : 'ended', run.state.output.reason);
      }
      void this.flush();
      void this.flushLeaves();
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
      firmware: this.updater.running.firmware,
      firmwareSha256: this.updater.running.sha256,
      hardwareId: this.parts.hardwareId,
      resetReason,
      rssiDbm,
      address: '127.0.0.1',
      ...(this.parts.battery && { batteryVolts: round(this.parts.battery.volts()) }),
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
    // Told another interval it goes on; only after a start was its supply put on.
    let woke: WakeReason = this.measuring ? 'timer' : 'power';
    const measure = (): void => {
      const now = Date.now();
      this.parts.battery?.draw(this.reportSeconds, 1);
      const air = { celsius: this.parts.room.celsius(now), percent: this.parts.room.percent(now) };
      if (this.mishaps.stuck) this.frozen ??= { celsius: round(air.celsius), percent: round(air.percent) };
      const noisy = this.frozen ?? {
        celsius: round(air.celsius + noise(this.parts.noise.celsius)),
        percent: Math.min(100, round(air.percent + noise(this.parts.noise.percent))),
      };
      const percent = this.mishaps.wild ? 320 : noisy.percent;
      this.mishaps.wild = false;
      const values: Record<string, number> = { temperature: noisy.celsius, humidity: percent };
      for (const { name, unit } of this.configuration.points) {
        if (name in values || this.outputs.has(name)) continue;
        if (name === WAKE_POINT) {
          values[name] = WAKE_REASONS.indexOf(woke);
          continue;
        }
        // A second thermometer of a node hangs in the same room, a little apart.
        const again = /^temperature-(\d)$/.exec(name);
        const value = again
          ? round(noisy.celsius + 0.4 * Number(again[1]))
          : (this.byHand.get(name) ?? signalValue(this.parts.signals ?? {}, this.node, name, unit, now, Math.random));
        if (value !== null) values[name] = value;
      }
      woke = 'timer';
      for (const [point, value] of Object.entries(values))
        this.own = stepOwn(this.thresholds, this.own, { point, at: now, value }, this.reportSeconds);
      this.goOnAlone(now);
      for (const point of this.outputs.keys()) values[point] = Number(this.outputOn(point));
      this.keep(now, values);
    };
    measure();
    if (this.measuring) clearInterval(this.measuring);
    this.measuring = setInterval(measure, this.reportSeconds * 1000);
  }

  /** With the link down its own thresholds go on, within every guard; what was switched off by hand or made safe stays so. */
  private goOnAlone(now: number): void {
    if (this.connected || this.updating) return;
    for (const [point, run] of this.outputs) {
      const wanted = demandedAlone(this.thresholds, this.own, point, now, this.reportSeconds);
      const { on } = run.state.output;
      if (wanted === null || run.state.heldOff !== null || (!wanted && !on)) continue;
      // A lease of its own, that its next reading renews.
      const leaseMs = Math.max(run.leaseSeconds, 3 * this.reportSeconds) * 1000;
      run.state = stepLeasedOutput(run.guards, run.state, { kind: 'command', at: performance.now(), on: wanted, leaseMs });
      if (run.state.output.on === on) continue;
      run.lastCommand = null;
      this.moved(point, run);
    }
  }

  private keep(now: number, values: Record<string, number>): void {
    for (const [name, value] of Object.entries(values)) this.newest.set(name, value);
    const units = new Map(this.configuration.points.map((point) => [point.name, point.unit]));
    const records = Object.entries(values).flatMap(([n, v]) => {
      const unit = units.get(n);
      if (unit === undefined) return [];
      // Temperatures are simulated in °C and sent in the unit that the node was written with.
      const change = n.startsWith('temperature') ? unitChange('°C', unit) : null;
      return [{ n, t: now / 1000, v: change ? round(v * change.factor + change.offset) : v }];
    });
    this.live.push(...records);
    if (!this.connected) this.store();
    void this.flush();
  }

  /**
   * Sends what was just measured first, then what its store holds, oldest first and piece by piece, so that neither waits for long; what
   * is not acknowledged stays kept.
   */
  private async flush(): Promise<void> {
    if (this.sending || !this.client?.connected) return;
    this.sending = true;
    try {
      while (this.client?.connected) {
        // After a cut in between these are in its store as well, and another array is filled.
        const { live } = this;
        const isLive = live.length > 0;
        const piece = isLive ? live.slice(0, PIECE) : this.backlog.oldest(PIECE);
        const [first] = piece;
        if (!first) break;
        const pack = piece.map((record, i) =>
          i === 0
            ? { bn: `${this.node}:`, bt: first.t, n: record.n, v: record.v }
            : { n: record.n, t: Math.round((record.t - first.t) * 1000) / 1000, v: record.v },
        );
        const text = JSON.stringify(pack);
        await this.client.publishAsync(topicOf(this.node, 'up'), text, { qos: 1 });
        this.console?.('publ', `${topicOf(this.node, 'up')} ${text.length} B`);
        if (isLive) live.splice(0, piece.length);
        else this.backlog.sent(piece.length);
      }
    } catch {
      // The link went down under way: what was not acknowledged goes out again at the next connect.
      this.store();
    } finally {
      this.sending = false;
    }
  }

  private publish(channel: Upward, message: object): void {
    if (!this.client?.connected) return;
    const text = JSON.stringify(message);
    this.client.publish(topicOf(this.node, channel), text, { qos: 1 });
    this.console?.('publ', `${topicOf(this.node, channel)} ${text.length} B`);
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
    const { revision, reportSeconds, image, key } = parsed.data;
    this.leafSide?.setLeaves(parsed.data.leaves ?? []);
    // One that is gone, or has changed, begins from normal.
    const kept = parsed.data.thresholds.filter((one) => this.thresholds.some((before) => JSON.stringify(before) === JSON.stringify(one)));
    this.own = new Map([...this.own].filter(([id]) => kept.some((one) => one.id === id)));
    this.thresholds = parsed.data.thresholds;
    const slower = reportSeconds !== this.reportSeconds;
    this.reportSeconds = reportSeconds;
    Object.assign(this.configuration, { revision, reportSeconds, outputs: parsed.data.outputs });
    this.parts.keep();
    if (slower) this.measureEvery();
    this.publish('have', { revision });
    if (key !== undefined && key !== this.configuration.key) {
      // Kept before it is used: the old one works until the new one has been.
      this.configuration.key = key;
      this.parts.keep();
      this.drop();
      this.connect('key rotated', this.level, true);
      return;
    }
    // An offer that was taken back lets the outputs go again.
    if (image === null || image.manifest.sha256 === this.updater.running.sha256) this.updating = false;
    void this.updater.told(image);
  }

  private command(body: unknown): void {
    const asked = askSchema.safeParse(body);
    if (asked.success) return this.asked(asked.data);
    const parsed = doSchema.safeParse(body);
    const run = parsed.success ? this.outputs.get(parsed.data.point) : undefined;
    if (!parsed.success || !run) return;
    const command = parsed.data;
    const before = run.answers.get(command.id);
    if (before) {
      this.publish('done', before);
      return;
    }
    if (isExpired(command, Date.now())) {
      this.answer(command.point, command.id, 'refused', 'expired');
      return;
    }
    if (command.value && this.updating) {
      this.answer(command.point, command.id, 'refused', 'updating');
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

  /** A contact of its is moved by hand, at the stand-ins' panel. */
  act(point: string, value: number): boolean {
    if (!this.configuration.points.some((one) => one.name === point)) return false;
    this.byHand.set(point, value);
    const tellsWake = this.configuration.points.some((one) => one.name === WAKE_POINT);
    this.keep(Date.now(), { [point]: value, ...(tellsWake && { [WAKE_POINT]: WAKE_REASONS.indexOf('contact') }) });
    return true;
  }
  private readonly byHand = new Map<string, number>();

  /** Somebody stands by the node: it blinks, or tells its level and supply once a second. */
  private asked({ ask, seconds }: AskMessage): void {
    if (ask === 'blink') {
      this.lamp = 'found';
      this.timers.push(setTimeout(() => (this.lamp = 'joined'), seconds * 1000));
      return;
    }
    const until = Date.now() + seconds * 1000;
    const tell = (): void => {
      const rssiDbm = Math.round(this.level + noise(6));
      // A supply sags a little while the radio sends.
      this.publish('fit', { rssiDbm, supplyVolts: round((this.parts.battery?.volts() ?? MAINS_VOLTS) - 0.12) });
      if (Date.now() < until) this.timers.push(setTimeout(tell, 1000));
    };
    tell();
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
