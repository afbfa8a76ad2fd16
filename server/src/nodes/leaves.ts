import type { NodeConfiguration } from '@dewpost/core/wire';
import type { Vault } from '../vault/vault';

/** A gateway's access point towards its leaves. The credentials always follow from its name: made once, written to all. */
export const accessPointOf = (vault: Vault, gateway: string): { name: string; passphrase: string } => ({
  name: `dew-ap-${gateway}`.slice(0, 32),
  passphrase: vault.password(`access point of ${gateway}`) + vault.password(`access point of ${gateway}, second half`),
});

/** Address of a gateway on its own access point's network: what small boards use there. Stand-ins are all on loopback. */
const gatewayAddress = (standins: boolean): string => (standins ? '127.0.0.1' : '192.168.4.1');

/** What a leaf's configuration holds instead of the site's networks. */
export function leafParts(
  vault: Vault,
  leaf: { gateway: string; burst: { count: number; spacingMs: number } },
  config: { leafPort: number; standinsUrl: string | null },
): Pick<NodeConfiguration, 'networks' | 'via' | 'address'> {
  return {
    networks: [accessPointOf(vault, leaf.gateway)],
    via: { host: gatewayAddress(config.standinsUrl !== null), port: config.leafPort, burst: leaf.burst },
    address: null,
  };
}
