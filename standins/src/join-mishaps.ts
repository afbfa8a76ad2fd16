import type { PortMishap } from '@dewpost/core/mishaps';
import type { JoinResult } from './network';

/** What a node that joins meets instead of its network, where a mishap was set at its port; `null`: nothing goes wrong. */
export function joinMishap(kind: PortMishap, name: string, heard: { name: string; dbm: number }[]): JoinResult | null {
  const others = heard.filter((one) => one.name !== name);
  const fail = (code: string, text: string, list?: { name: string; dbm: number }[]): JoinResult => ({
    ok: false,
    code,
    text,
    ...(list && { heard: list }),
  });
  switch (kind) {
    case 'passphrase':
      return fail('wrong-passphrase', `${name} refused the passphrase`);
    case 'name':
      return fail(
        'name-not-found',
        `no network named "${name}" heard`,
        others.filter((one) => one.dbm < -70),
      );
    case 'stray-space':
      return fail('name-not-found', `no network named "${name}" heard`, [{ name: `${name} `, dbm: -58 }, ...others]);
    case 'five-gigahertz':
      return fail('name-not-found', `no network named "${name}" heard`, [{ name: `${name}-2.4G`, dbm: -55 }, ...others]);
    case 'hidden-name':
      return fail('name-not-found', `no network named "${name}" heard`, [{ name: '', dbm: -57 }, ...others]);
    case 'weak-signal':
      return fail('weak-signal', `${name} at -91 dBm: lost while joining`);
    case 'no-address':
      return fail('no-address', `${name} joined; no address from the router in 15 s`);
    case 'address-taken':
      return fail('address-taken', `${name} joined; another station answers at this node's address`);
    default:
      return null;
  }
}

/** What goes wrong after the node has joined; `null`: nothing. */
export function afterJoinMishap(kind: PortMishap): { code: string; text: string } | null {
  switch (kind) {
    case 'clock-not-set':
      return { code: 'clock-not-set', text: 'no time from the time server in 20 s: outputs stay off' };
    case 'broker-refused':
      return { code: 'broker-refused', text: 'the broker refused the key' };
    case 'broker-unreachable':
      return { code: 'broker-unreachable', text: 'the broker cannot be reached: connection timed out' };
    case 'name-clash':
      return { code: 'name-clash', text: 'the session was taken over twice by another of this name' };
    default:
      return null;
  }
}
