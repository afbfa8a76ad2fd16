import { backOffSeconds, SETUP_OPEN_SECONDS, setupNetworkOf, type LampState } from '@dewpost/core/joining';
import type { PortMishap } from '@dewpost/core/mishaps';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { afterJoinMishap, joinMishap } from './join-mishaps';
import type { Networks } from './network';

export type BootLog = (tag: string, text: string, code?: string, heard?: { name: string; dbm: number }[]) => void;

/** How a stand-in node gets into its network: one after the other, and what it does when none would have it. */
export class NodeJoining {
  /** The network it is in; `null`: none. */
  joined: string | null = null;
  /** Until when its set-up network stands open, ms; `null`: it does not. */
  setupUntil: number | null = null;
  private began = 0;
  private rounds = 0;

  constructor(
    private readonly parts: {
      configuration: NodeConfiguration;
      networks: Networks;
      joinMs: number;
      /** How fast its waiting goes against real time. */
      patience: number;
      bootLog: BootLog | undefined;
      mishap: () => PortMishap;
      stopped: () => boolean;
      /** Runs something in so many ms, unless the node stops before. */
      later: (run: () => void, ms: number) => void;
      lamp: (state: LampState) => void;
      /** It is in: `dbm` is how it hears its network. */
      linked: (resetReason: string, dbm: number) => void;
      dropped: () => void;
    },
  ) {}

  /** From the first network on. */
  begin(resetReason: string): void {
    this.began = performance.now();
    this.join(resetReason, 1);
  }

  networkChanged(name: string): void {
    const { configuration, networks, dropped } = this.parts;
    if (networks.isUp(name)) {
      if (this.joined === null) this.join('link', 1);
    } else if (this.joined === name) {
      this.joined = null;
      dropped();
      if (configuration.networks.length > 1) this.join('link', 1);
    }
  }

  private join(resetReason: string, attempt: number): void {
    const { configuration, joinMs, bootLog: log, stopped, later } = this.parts;
    if (stopped()) return;
    // In the order they were written, one an attempt.
    const { networks } = configuration;
    const network = networks[(attempt - 1) % networks.length];
    if (!network) return;
    const heard = this.parts.networks.heard();
    log?.('scan', `${heard.length} networks heard`, undefined, heard);
    log?.('join', `${network.name}, attempt ${attempt}`);
    later(() => {
      // Two tries may be under way when a network comes back: the first that succeeds is the link.
      if (this.joined !== null || stopped()) return;
      const result = joinMishap(this.parts.mishap(), network.name, heard) ?? this.parts.networks.join(network);
      if (result.ok) return this.isIn(resetReason, network.name, result.rssiDbm);
      log?.('join', result.text, result.code, result.heard);
      const roundOver = attempt % networks.length === 0;
      if (roundOver && performance.now() - this.began > this.scaled(configuration.join.seconds)) return this.giveUp(resetReason);
      later(() => this.join(resetReason, attempt + 1), roundOver ? this.scaled(3) : 0);
    }, joinMs);
  }

  private isIn(resetReason: string, network: string, dbm: number): void {
    const { bootLog: log, mishap, linked } = this.parts;
    this.joined = network;
    this.setupUntil = null;
    this.rounds = 0;
    log?.('join', `joined ${network}, ${dbm} dBm`, 'joined');
    const after = afterJoinMishap(mishap());
    if (after) log?.('broker', after.text, after.code);
    else linked(resetReason, dbm);
  }

  /** No network would have it: one on the mains opens its set-up network and goes on trying, one on a battery sleeps ever longer. */
  private giveUp(resetReason: string): void {
    const { configuration, bootLog: log, later, lamp } = this.parts;
    if (configuration.join.then === 'set-up') {
      if (this.setupUntil === null) {
        this.setupUntil = Date.now() + this.scaled(SETUP_OPEN_SECONDS);
        lamp('set-up');
        log?.('setup', `set-up network ${setupNetworkOf(configuration.node)} open, ${SETUP_OPEN_SECONDS / 60} min`, 'setup-open');
        later(() => (this.setupUntil = null), this.scaled(SETUP_OPEN_SECONDS));
      }
      later(() => this.join(resetReason, 1), this.scaled(15));
      return;
    }
    const seconds = backOffSeconds(++this.rounds);
    log?.('join', `gives up for now, sleeps ${seconds} s`, 'backing-off');
    later(() => this.begin(resetReason), this.scaled(seconds));
  }

  private scaled(seconds: number): number {
    return seconds * 1000 * this.parts.patience;
  }
}
