import { demandedAlone, stepOwn, type OwnStates } from '@dewpost/core/control';
import type { AirMishap, PortMishap } from '@dewpost/core/mishaps';
import { unitChange } from '@dewpost/core/quantity';
import {
  askSchema,
  doSchema,
  helloSchema,
  setSchema,
  topicOf,
  type AskMessage,
  type HelloMessage,
  type NodeConfiguration,
  type OwnThreshold,
  type Upward,
  type WakeReason,
  WAKE_POINT,
  WAKE_REASONS,
} from '@dewpost/core/wire';
import type { MqttClient } from 'mqtt';
import * as z from 'zod';
import { type LampState } from '@dewpost/core/joining';
import { Backlog } from './backlog';
import { NodeJoining, type BootLog } from './node-joining';
import { NodeMail } from './node-mail';
import { NodeOutputs } from './node-outputs';
import { noise, NodeSenses, round, type NodeMishaps } from './node-senses';
import { openSession } from './node-session';
import type { Battery } from './battery';
import type { Networks } from './network';
import type { Room } from './room';
import { LeafGateway } from './leaf-gateway';
import { Updater, type Flash } from './updater';
import type { SignalData } from './world';

const leafWordSchema = z.object({ r: z.array(z.object({ n: z.string(), v: z.number() })), h: helloSchema.optional() });

const STEP_MS = 200;
const SLOT_BYTES = 1_310_720;
const POWER_BACK_MS = 1500;
const MAINS_VOLTS = 5.05;
/**
 * A node that runs on a stand-in board. Speaks only the public node protocol over MQTT; measures a simulated room, keeps its
 * readings while the link is down and sends them late, and runs its outputs by `core/control` on its own clock.
 */
export class SimulatedNode {
  readonly mishaps: NodeMishaps = { silent: false, stuck: false, wild: false };
  private client: MqttClient | null = null;
  private timers: NodeJS.Timeout[] = [];
  private measuring: NodeJS.Timeout | null = null;
  readonly updater: Updater;
  private readonly outputs: NodeOutputs;
  private readonly mail: NodeMail;
  private readonly joining: NodeJoining;
  private readonly senses: NodeSenses;
  private reportSeconds: number;
  private stopped = false;
  /** Level at which it hears its network, dBm. */
  private level = -60;
  /** Runs from its start until an image comes over the air; `null`: its board has none. */
  secondRadio: 'on' | 'off' | null;
  /** What its lamp shows. */
  lamp: LampState = 'searching';
  /** Who listens at its serial port hears it say what it sends; nobody does mostly. */
  console: ((tag: string, text: string) => void) | null = null;
  private mishap: PortMishap;
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
    // The profiles of boards say which have one.
    this.secondRadio = /^wifi-single/.test(parts.board) ? null : 'on';
    this.mishap = parts.mishap ?? 'none';
    this.leafSide = configuration.accessPoint ? new LeafGateway((leaf, body) => this.passOn(leaf, body)) : null;
    this.outputs = new NodeOutputs(configuration.outputs, {
      done: (message) => this.publish('done', message),
      moved: (point, on) => {
        parts.room.humidify(`${this.node} ${point}`, on, Date.now());
        this.keep(Date.now(), { [point]: Number(on) });
      },
    });
    this.senses = new NodeSenses(configuration, { ...parts, mishaps: this.mishaps, isOutput: (point) => this.outputs.has(point) });
    this.mail = new NodeMail(
      configuration.node,
      parts.backlog ?? new Backlog(null),
      () => this.client,
      (topic, bytes) => this.console?.('publ', `${topic} ${bytes} B`),
    );
    this.joining = new NodeJoining({
      configuration,
      networks: parts.networks,
      joinMs: parts.joinMs,
      patience: parts.patience,
      bootLog: parts.bootLog,
      mishap: () => this.mishap,
      stopped: () => this.stopped,
      later: (run, ms) => void this.timers.push(setTimeout(run, ms)),
      lamp: (state) => (this.lamp = state),
      linked: (resetReason, dbm) => this.connect(resetReason, parts.levelDbm ?? dbm),
      dropped: () => this.drop(),
    });
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
          this.outputs.updating = false;
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
    return this.outputs.isOn(point);
  }

  /** Powers up: joins its network, connects, says hello, and begins to measure at once. */
  start(resetReason = 'power-up'): void {
    this.stopped = false;
    this.outputs.updating = false;
    this.updater.boot();
    this.unwatch = this.parts.networks.onChange((name) => {
      if (this.configuration.networks.some((network) => network.name === name)) this.joining.networkChanged(name);
    });
    this.timers.push(setInterval(() => this.outputs.tick(), STEP_MS));
    // Not all at the same instant, as after a power cut.
    this.timers.push(setTimeout(() => this.measureEvery(), Math.random() * Math.min(500, this.reportSeconds * 200)));
    // An image that never gets a word out does not even join.
    this.openAccessPoint();
    if (!this.updater.mute) this.joining.begin(resetReason);
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
    this.mail.passOn(out.map(([channel, message]) => ({ topic: topicOf(leaf, channel), text: JSON.stringify(message) })));
  }

  /** Starts anew after a while without power; what it has not sent yet is in its store. */
  private restart(why: string, afterMs: number): void {
    this.stop();
    this.timers.push(setTimeout(() => this.start(why), afterMs));
  }

  /** Gives what became of its second radio. */
  private makeSafe(): 'off' | 'none' {
    this.outputs.makeSafe();
    this.secondRadio &&= 'off';
    return this.secondRadio ?? 'none';
  }

  /** Pulls its supply: everything stops, outputs fall off, the broker finds out by itself. */
  stop(): void {
    this.stopped = true;
    this.updater.halt();
    this.joining.joined = null;
    if (this.measuring) clearInterval(this.measuring);
    this.measuring = null;
    this.leafSide?.close();
    this.vanish();
    this.unwatch();
    for (const timer of this.timers) clearTimeout(timer);
    this.timers = [];
    this.drop();
    for (const point of this.outputs.fallOff()) this.parts.room.humidify(`${this.node} ${point}`, false, Date.now());
    this.mail.store();
  }

  setMishap(kind: keyof NodeMishaps, on: boolean): void {
    this.mishaps[kind] = on;
    if (kind === 'stuck') this.senses.thaw();
    if (kind !== 'silent') return;
    if (on) this.stop();
    else if (this.stopped) this.start();
  }

  /** Of its own page: where it is, until when its set-up is open, what it hears. */
  get joinedNetwork(): string | null {
    return this.joining.joined;
  }
  get setupOpen(): number | null {
    return this.joining.setupUntil;
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
    this.joining.begin('set up');
  }
  readings(): { point: string; value: number; unit: string }[] {
    return this.configuration.points.flatMap(({ name, unit }) => {
      const value = this.newest.get(name);
      return value === undefined || this.outputs.has(name) ? [] : [{ point: name, value, unit }];
    });
  }
  outputStates(): { point: string; on: boolean }[] {
    return this.outputs.states();
  }
  /** Switched at its own page: obeys every guard, with a lease like any command. Gives what holds it, `null`: done. */
  switchHere(point: string, on: boolean): string | null {
    return this.outputs.switchHere(point, on);
  }

  private connect(resetReason: string, rssiDbm: number, greetedBefore = false): void {
    this.level = rssiDbm;
    this.lamp = 'joined';
    let greeted = greetedBefore;
    this.client = openSession(this.configuration, {
      log: this.parts.bootLog,
      connected: (client) => {
        // Hello is said once a start; a link that comes back is not a start.
        if (!greeted) this.greet(client, resetReason, rssiDbm);
        this.outputs.tellAll(!greeted);
        greeted = true;
        void this.mail.flush();
        void this.mail.flushLeaves();
      },
      heard: (topic, text) => this.receive(topic, text),
    });
  }

  private greet(client: MqttClient, resetReason: string, rssiDbm: number): void {
    client.publish(topicOf(this.node, 'hello'), JSON.stringify(this.hello(resetReason, rssiDbm)), { qos: 1 }, (error) => {
      if (error) return;
      this.updater.reportedIn();
      const fell = this.updater.fellBack();
      if (fell) this.publish('have', { revision: this.configuration.revision, update: fell });
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

  /** Cuts the connection without a farewell. */
  private drop(): void {
    this.client?.stream.destroy();
    this.client?.end(true);
    this.client = null;
    this.mail.dropped();
  }

  private measureEvery(): void {
    // Told another interval it goes on; only after a start was its supply put on.
    let woke: WakeReason = this.measuring ? 'timer' : 'power';
    const measure = (): void => {
      const now = Date.now();
      this.parts.battery?.draw(this.reportSeconds, 1);
      const values = this.senses.values(now, woke);
      woke = 'timer';
      for (const [point, value] of Object.entries(values))
        this.own = stepOwn(this.thresholds, this.own, { point, at: now, value }, this.reportSeconds);
      if (!this.connected)
        this.outputs.goOnAlone((point) => demandedAlone(this.thresholds, this.own, point, now, this.reportSeconds), this.reportSeconds);
      for (const { point, on } of this.outputs.states()) values[point] = Number(on);
      this.keep(now, values);
    };
    measure();
    if (this.measuring) clearInterval(this.measuring);
    this.measuring = setInterval(measure, this.reportSeconds * 1000);
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
    this.mail.add(records);
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
    this.outputs.setGuards(parsed.data.outputs);
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
    if (image === null || image.manifest.sha256 === this.updater.running.sha256) this.outputs.updating = false;
    void this.updater.told(image);
  }

  private command(body: unknown): void {
    const asked = askSchema.safeParse(body);
    if (asked.success) return this.asked(asked.data);
    const parsed = doSchema.safeParse(body);
    if (parsed.success) this.outputs.obey(parsed.data);
  }

  /** A contact of its is moved by hand, at the stand-ins' panel. */
  act(point: string, value: number): boolean {
    if (!this.senses.move(point, value)) return false;
    const tellsWake = this.configuration.points.some((one) => one.name === WAKE_POINT);
    this.keep(Date.now(), { [point]: value, ...(tellsWake && { [WAKE_POINT]: WAKE_REASONS.indexOf('contact') }) });
    return true;
  }

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
}
