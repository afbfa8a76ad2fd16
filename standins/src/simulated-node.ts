import { noNodeMishaps, type NodeMishap, type NodeMishaps, type PortMishap } from '@dewpost/core/mishaps';
import {
  topicOf,
  type AskMessage,
  type NodeConfiguration,
  type SetMessage,
  type Upward,
  WAKE_POINT,
  WAKE_REASONS,
} from '@dewpost/core/wire';
import type { MqttClient } from 'mqtt';
import { type LampState } from '@dewpost/core/joining';
import { Backlog } from './backlog';
import { NodeJoining } from './node-joining';
import { NodeMail } from './node-mail';
import { NodeOutputs } from './node-outputs';
import { NodeSenses } from './node-senses';
import { openSession } from './node-session';
import { SLOT_BYTES, Updater } from './updater';
import { NodeLeaves } from './node-leaves';
import { NodeMeasuring } from './node-measuring';
import type { NodeParts } from './node-parts';
import { NodeVoice } from './node-voice';
import { helloOf, orderOf, fitWord } from './node-words';

const [STEP_MS, POWER_BACK_MS] = [200, 1500];
/**
 * A node that runs on a stand-in board. Speaks only the public node protocol over MQTT; measures a simulated room, keeps its
 * readings while the link is down and sends them late, and runs its outputs by `core/control` on its own clock.
 */
export class SimulatedNode {
  readonly mishaps: NodeMishaps = noNodeMishaps();
  private client: MqttClient | null = null;
  private readonly timers: NodeJS.Timeout[] = [];
  readonly updater: Updater;
  readonly outputs: NodeOutputs;
  private readonly mail: NodeMail;
  readonly joining: NodeJoining;
  readonly leaves: NodeLeaves;
  private readonly senses: NodeSenses;
  private readonly measuring: NodeMeasuring;
  private stopped = false;
  /** Level at which it hears its network, dBm. */
  private level = -60;
  /** Runs from its start until an image comes over the air; `null`: its board has none. */
  secondRadio: 'on' | 'off' | null;
  readonly voice = new NodeVoice((text) => this.console?.('says', text));
  /** What its lamp shows. */
  lamp: LampState = 'searching';
  /** Who listens at its serial port hears it say what it sends; nobody does mostly. */
  console: ((tag: string, text: string) => void) | null = null;
  private mishap: PortMishap;
  private unwatch: () => void = () => undefined;

  constructor(
    readonly configuration: NodeConfiguration,
    private readonly parts: NodeParts,
  ) {
    // The profiles of boards say which have one.
    this.secondRadio = /^wifi-single/.test(parts.board) ? null : 'on';
    this.mishap = parts.mishap ?? 'none';
    this.outputs = new NodeOutputs(configuration.outputs, {
      done: (message) => this.publish('done', message),
      moved: (point, on) => {
        parts.room.humidify(`${this.node} ${point}`, on, Date.now());
        this.measuring.keep(Date.now(), { [point]: Number(on) });
      },
      welded: () => this.mishaps.welded,
    });
    this.senses = new NodeSenses(configuration, { ...parts, mishaps: this.mishaps, isOutput: (point) => this.outputs.has(point) });
    this.mail = new NodeMail(
      configuration.node,
      parts.backlog ?? new Backlog(null),
      () => this.client,
      (topic, bytes) => this.console?.('publ', `${topic} ${bytes} B`),
    );
    this.measuring = new NodeMeasuring(configuration, {
      ...{ senses: this.senses, outputs: this.outputs, mail: this.mail, battery: parts.battery },
      connected: () => this.connected,
    });
    this.leaves = new NodeLeaves(configuration, {
      networks: parts.networks,
      mail: this.mail,
      log: (level, text) => this.publish('log', { level, text }),
    });
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

  /** Powers up: joins its network, connects, says hello, and begins to measure at once. */
  start(resetReason = 'power-up'): void {
    this.stopped = false;
    this.outputs.updating = false;
    this.updater.boot();
    this.unwatch = this.parts.networks.onChange((name) => {
      if (this.configuration.networks.some((network) => network.name === name)) this.joining.networkChanged(name);
    });
    this.timers.push(setInterval(() => this.outputs.tick(), STEP_MS));
    this.timers.push(this.voice.watch(this));
    // Not all at the same instant, as after a power cut.
    this.timers.push(setTimeout(() => this.measuring.begin(), Math.random() * Math.min(500, this.configuration.reportSeconds * 200)));
    // An image that never gets a word out does not even join.
    this.leaves.open();
    if (!this.updater.mute) this.joining.begin(resetReason);
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
    this.measuring.end();
    this.voice.silence();
    this.leaves.close();
    this.unwatch();
    for (const timer of this.timers.splice(0)) clearTimeout(timer);
    this.drop();
    for (const point of this.outputs.fallOff()) this.parts.room.humidify(`${this.node} ${point}`, false, Date.now());
    this.mail.store();
  }

  setMishap(kind: NodeMishap, on: boolean): void {
    this.mishaps[kind] = on;
    if (kind === 'stuck') this.senses.thaw();
    if (kind === 'onBackup') this.publish('have', { revision: this.configuration.revision, onBackup: on });
    if (kind === 'silent' && on) this.stop();
    else if (kind === 'silent' && this.stopped) this.start();
  }

  /** What it hears at its place, for its own page. */
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
    return this.measuring.shown(this.configuration.points.filter(({ name }) => !this.outputs.has(name)));
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
    client.publish(
      topicOf(this.node, 'hello'),
      JSON.stringify(helloOf(this.configuration, this.updater.running, this.parts, { resetReason, rssiDbm, network: this.joining.joined })),
      { qos: 1 },
      (error) => {
        if (error) return;
        this.updater.reportedIn();
        const fell = this.updater.fellBack();
        if (fell) this.publish('have', { revision: this.configuration.revision, update: fell });
      },
    );
  }

  /** Cuts the connection without a farewell. */
  private drop(): void {
    this.client?.stream.destroy();
    this.client?.end(true);
    this.client = null;
    this.mail.dropped();
  }

  private publish(channel: Upward, message: object): void {
    if (!this.client?.connected) return;
    const text = JSON.stringify(message);
    this.client.publish(topicOf(this.node, channel), text, { qos: 1 });
    this.console?.('publ', `${topicOf(this.node, channel)} ${text.length} B`);
  }

  private receive(topic: string, text: string): void {
    const order = orderOf(this.node, topic, text);
    if (order?.kind === 'nonsense') this.publish('log', { level: 'warning', text: `a message on ${topic} was not JSON` });
    if (order?.kind === 'ask') this.asked(order.message);
    if (order?.kind === 'say') this.publish('done', this.voice.say(order.message, !this.outputs.updating));
    if (order?.kind === 'show') this.publish('done', this.voice.show(order.message));
    if (order?.kind === 'hush') this.voice.hushOf(order.message.hush);
    if (order?.kind === 'do') this.outputs.obey(order.message);
    if (order?.kind === 'set') this.configure(order.message);
  }

  private configure({ revision, reportSeconds, image, key, outputs, leaves, thresholds }: SetMessage): void {
    this.outputs.setGuards(outputs);
    this.leaves.side?.setLeaves(leaves ?? []);
    this.measuring.follow(thresholds);
    const another = reportSeconds !== this.configuration.reportSeconds;
    Object.assign(this.configuration, { revision, reportSeconds, outputs });
    this.parts.keep();
    if (another) this.measuring.begin();
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

  /** A contact of its is moved by hand, at the stand-ins' panel. */
  act(point: string, value: number): boolean {
    if (!this.senses.move(point, value)) return false;
    const tellsWake = this.configuration.points.some((one) => one.name === WAKE_POINT);
    this.measuring.keep(Date.now(), { [point]: value, ...(tellsWake && { [WAKE_POINT]: WAKE_REASONS.indexOf('contact') }) });
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
      this.publish('fit', fitWord(this.level, this.parts.battery));
      if (Date.now() < until) this.timers.push(setTimeout(tell, 1000));
    };
    tell();
  }
}
