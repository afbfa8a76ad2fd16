import { noNodeMishaps, type NodeMishap, type NodeMishaps } from '@dewpost/core/mishaps';
import { DATAGRAM, encodeDatagram, isProved, readDatagram, sendTimes, sequenceAfterStart } from '@dewpost/core/leaf';
import { WAKE_POINT, wakeCode, type HelloMessage, type NodeConfiguration, type WakeReason } from '@dewpost/core/wire';
import type { Battery } from './battery';
import { sendWord } from './leaf-gateway';
import type { Networks } from './network';
import type { Room } from './room';
import { signalValue } from './signals';
import type { BootLog } from './node-joining';
import type { SignalData } from './world';

/**
 * A leaf behind a gateway: asleep most of its life, wakes at its interval and when a contact of its moves, says one word by
 * datagrams until it is answered, and sleeps again. Takes no commands.
 */
export class LeafNode {
  readonly mishaps: NodeMishaps = noNodeMishaps();
  private timers: NodeJS.Timeout[] = [];
  private stopped = true;
  private sequence = 0;
  private greeted = false;
  private readonly held = new Map<string, number>();
  /** Whether its last word was answered. */
  connected = false;

  constructor(
    readonly configuration: NodeConfiguration,
    private readonly parts: {
      hardwareId: string;
      firmware: string;
      firmwareSha256: string;
      room: Room;
      battery: Battery | null;
      networks: Networks;
      joinMs: number;
      signals: Readonly<Record<string, SignalData>>;
      levelDbm?: number;
      /** Sequence that its store holds. */
      kept(): number;
      keep(sequence: number): void;
      bootLog?: BootLog;
    },
  ) {}

  get node(): string {
    return this.configuration.node;
  }

  start(): void {
    this.stopped = false;
    this.greeted = false;
    const { next, keep } = sequenceAfterStart(this.parts.kept());
    this.sequence = next - 1;
    this.parts.keep(keep);
    this.wake();
  }

  stop(): void {
    this.stopped = true;
    this.connected = false;
    for (const timer of this.timers) clearTimeout(timer);
    this.timers = [];
  }

  setMishap(kind: NodeMishap, on: boolean): void {
    this.mishaps[kind] = on;
    if (kind !== 'silent') return;
    if (on) this.stop();
    else if (this.stopped) this.start();
  }

  /** A contact of its moves: it wakes at once. */
  act(point: string, value: number): boolean {
    if (!this.configuration.points.some((one) => one.name === point)) return false;
    this.held.set(point, value);
    if (!this.stopped) void this.say('contact');
    return true;
  }

  private wake(): void {
    const [network] = this.configuration.networks;
    const log = this.parts.bootLog;
    if (!network) return;
    log?.('join', `${network.name}, attempt 1`);
    this.timers.push(
      setTimeout(() => {
        const result = this.parts.networks.join(network);
        if (!result.ok) {
          log?.('join', result.text, result.code, result.heard);
          this.timers.push(setTimeout(() => this.wake(), 5000));
          return;
        }
        log?.('join', `joined the gateway's ${network.name}, ${this.parts.levelDbm ?? result.rssiDbm} dBm`, 'joined');
        void this.say('power');
        this.timers.push(setInterval(() => void this.say('timer'), this.configuration.reportSeconds * 1000));
      }, this.parts.joinMs),
    );
  }

  private async say(woke: WakeReason): Promise<void> {
    const { via, key, points } = this.configuration;
    if (!via) return;
    this.parts.battery?.draw(this.configuration.reportSeconds, 1);
    const now = Date.now();
    const r = points.flatMap(({ name, unit }) => {
      const value = name === WAKE_POINT ? wakeCode(woke) : (this.held.get(name) ?? this.measured(name, unit, now));
      return value === null ? [] : [{ n: name, v: value }];
    });
    const body = JSON.stringify({ r, ...(!this.greeted && { h: this.hello() }) });
    if (++this.sequence > this.parts.kept()) this.parts.keep(this.sequence + 256);
    const { sequence } = this;
    const bytes = encodeDatagram({ kind: DATAGRAM.word, leaf: this.node, sequence, body }, key);
    const { sent, answered } = await sendWord(bytes, via, sendTimes(via.burst), (answer) => {
      const said = readDatagram(answer);
      return said !== null && said.kind === DATAGRAM.answer && said.sequence === sequence && isProved(answer, key);
    });
    this.connected = answered;
    if (answered) this.greeted = true;
    this.parts.bootLog?.('leaf', answered ? `answered after ${sent} ${sent === 1 ? 'copy' : 'copies'}` : `no answer to ${sent} copies`);
  }

  private measured(name: string, unit: string, now: number): number | null {
    if (name.startsWith('temperature')) return Math.round(this.parts.room.celsius(now) * 100) / 100;
    return signalValue(this.parts.signals, this.node, name, unit, now, Math.random);
  }

  private hello(): HelloMessage {
    return {
      firmware: this.parts.firmware,
      firmwareSha256: this.parts.firmwareSha256,
      hardwareId: this.parts.hardwareId,
      resetReason: 'power-up',
      ...(this.parts.levelDbm !== undefined && { rssiDbm: this.parts.levelDbm }),
      ...(this.parts.battery && { batteryVolts: Math.round(this.parts.battery.volts() * 100) / 100 }),
      points: this.configuration.points.map((point) => point.name),
    };
  }
}
