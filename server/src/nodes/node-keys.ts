import { digestOf, randomToken, type Vault } from '../vault/vault';
import { ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import type { HouseEvents } from '../model/house-events';
import type { Change, Store } from '../store/change';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';

/** The keys that nodes prove themselves with: rotated, revoked, and forgotten but for their digest once they have been used. */
export class NodeKeys {
  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      hub: Hub;
      vault: Vault;
      events: HouseEvents;
      tellSettings(change: Change, node: NodeEntry): Promise<void>;
    },
  ) {}

  /**
   * Gives a node a new key, told to it over the air: its old one goes on working until the new one has been used. Throws where
   * it has not made contact yet: there is nothing to rotate then.
   */
  rotate(node: NodeEntry, by: string): Promise<void> {
    const { store, registry, vault } = this.parts;
    return store.commitInTurn(laneOf(node), async (change) => {
      if (node.keyRotates) return;
      if (node.keySealed !== null)
        throw new ProblemError(409, 'Key not used yet', `${node.name} has not used its present key yet: write it at the bench.`);
      const key = randomToken();
      const sealed = vault.seal(key);
      const old = node.keyDigest;
      await changeNode(
        change,
        node,
        { key_digest: digestOf(key), old_key_digest: old, key_sealed: sealed, key_rotates: true },
        { keyRotates: true },
      );
      change.apply(() => registry.rekey(node, { digest: digestOf(key), old, sealed }));
      const text = `its key is rotated by ${by}: the old one works until the new one has been used`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      await this.parts.tellSettings(change, node);
      tellNode(change, this.parts.hub, node);
    });
  }

  /** Makes a node's keys worthless at once: it is cut off until it is written again. Throws 422 where nobody ever uses one. */
  revoke(node: NodeEntry, by: string): Promise<void> {
    const { store, registry, vault } = this.parts;
    if (node.kind === 'computed')
      throw new ProblemError(422, 'Computed here', `${node.title} is computed by this server: nothing publishes with a key of its own.`);
    return store.commitInTurn(laneOf(node), async (change) => {
      const key = randomToken();
      const sealed = vault.seal(key);
      await changeNode(
        change,
        node,
        { key_digest: digestOf(key), old_key_digest: null, key_sealed: sealed, key_rotates: false },
        { keyRotates: false },
      );
      change.apply(() => registry.rekey(node, { digest: digestOf(key), old: null, sealed }));
      const text = `its key was revoked by ${by}: it is cut off until it is written again`;
      await writeNodeLog(change.trx, [{ node, level: 'warning', text }]);
      change.tell(() => this.parts.events.tell('keyRevoked', node));
      // Its gateway is to take nothing with the old key any more.
      const gateway = node.gateway === null ? undefined : registry.nodes.get(node.gateway);
      if (gateway) await this.parts.tellSettings(change, gateway);
      tellNode(change, this.parts.hub, node);
    });
  }

  /** Its key has been used: first contact leaves only the key's digest, and the one before it is worthless. */
  async used(node: NodeEntry): Promise<void> {
    // A gateway needs its leaves' keys for life.
    if (node.keySealed === null || node.gateway !== null) return;
    await this.parts.store.commitInTurn(laneOf(node), async (change) => {
      if (node.keySealed === null) return;
      const rotated = node.keyRotates;
      const digest = node.keyDigest;
      await changeNode(
        change,
        node,
        { key_sealed: null, old_key_digest: null, key_rotates: false, first_contact_at: new Date() },
        { keyRotates: false },
      );
      change.apply(() => this.parts.registry.rekey(node, { digest, old: null, sealed: null }));
      if (rotated) {
        await writeNodeLog(change.trx, [{ node, level: 'info', text: 'its new key has been used: the old one is worthless now' }]);
        await this.parts.tellSettings(change, node);
      }
      tellNode(change, this.parts.hub, node);
    });
  }
}
