import type { NodeConfiguration } from '@dewpost/core/wire';
import type { World } from './world';

type Network = Omit<World['networks'][number], 'hidden'> & { hidden?: boolean };

export type JoinResult = { ok: true; rssiDbm: number } | { ok: false; code: string; text: string; heard?: { name: string; dbm: number }[] };

/** The simulated radio networks of the building: a node is let in with the right name and passphrase only. */
export class Networks {
  private readonly down = new Set<string>();
  private readonly watchers = new Set<(name: string) => void>();

  private readonly networks: Network[];

  constructor(networks: readonly Network[]) {
    this.networks = [...networks];
  }

  /** A gateway's access point appears, or goes. */
  appear(network: Network): () => void {
    this.networks.push(network);
    return () => {
      const at = this.networks.indexOf(network);
      if (at >= 0) this.networks.splice(at, 1);
    };
  }

  /** What a scan brings: a hidden network without its name. */
  heard(): { name: string; dbm: number }[] {
    return this.networks
      .filter(({ name }) => !this.down.has(name))
      .map(({ name, rssiDbm, hidden }) => ({ name: hidden ? '' : name, dbm: rssiDbm }));
  }

  names(): string[] {
    return this.networks.map((network) => network.name);
  }

  isUp(name: string): boolean {
    return this.networks.some((network) => network.name === name) && !this.down.has(name);
  }

  /** Takes a network down or up again; every node on it hears of it. */
  setUp(name: string, up: boolean): void {
    if (up) this.down.delete(name);
    else this.down.add(name);
    for (const watcher of this.watchers) watcher(name);
  }

  onChange(watcher: (name: string) => void): () => void {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  }

  /** Lets a node in that knows the name, asks for it where it is hidden, and has its passphrase, or none where it is open. */
  join({ name, passphrase, hidden }: NodeConfiguration['networks'][number]): JoinResult {
    const network = this.networks.find((candidate) => candidate.name === name);
    if (!network || this.down.has(name) || (network.hidden && !hidden))
      return { ok: false, code: 'name-not-found', text: `no network named "${name}" heard`, heard: this.heard() };
    if (network.passphrase !== passphrase) return { ok: false, code: 'wrong-passphrase', text: `${name} refused the passphrase` };
    return { ok: true, rssiDbm: network.rssiDbm };
  }
}
