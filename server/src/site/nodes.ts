import type { LiveEvent, SheetPoint } from '@dewpost/contract';
import { setSchema, type HelloMessage, type LogMessage, type SetMessage } from '@dewpost/core/wire';
import { timingSafeEqual } from 'node:crypto';
import { digestOf } from '../access/vault';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import type { Hub } from '../live/hub';
import { writeNodeLog } from './node-log';
import { nodeView, type NodeEntry, type Registry } from './registry';

interface Parts {
  database: Database;
  registry: Registry;
  engine: Engine;
  hub: Hub;
}

/** What a node does besides sending readings: makes contact, says hello, tells its revision, logs, comes and goes. */
export class Nodes {
  /** Called when a node has said hello, after it is stored. */
  onHello: (node: NodeEntry) => Promise<void> = () => Promise.resolve();

  constructor(private readonly parts: Parts) {}

  /** The node behind a name and key, or why not, in words for a log. First contact leaves only the key's digest. */
  async authenticate(name: string, key: string): Promise<NodeEntry | string> {
    const node = this.parts.registry.nodes.get(name);
    if (!node) return `no node is named ${name.slice(0, 64)}: make it under Plan first`;
    const digest = digestOf(key);
    if (timingSafeEqual(digest, node.keyDigest)) await this.contact(node);
    else if (!node.oldKeyDigest || !timingSafeEqual(digest, node.oldKeyDigest)) {
      await this.log(node, 'refused', 'a connection with a wrong key was refused: write the node again, or give it its own key');
      return 'wrong key';
    }
    return node;
  }

  /** The node whose key this is, or `null`. */
  async byKey(key: string): Promise<NodeEntry | null> {
    const digest = digestOf(key);
    const node = this.parts.registry.nodesByDigest.get(digest.toString('hex')) ?? null;
    if (node?.keyDigest.equals(digest)) await this.contact(node);
    return node;
  }

  async hello(node: NodeEntry, hello: HelloMessage): Promise<void> {
    const { database, registry } = this.parts;
    const hardwareId = hello.hardwareId ?? node.hardwareId;
    const other = [...registry.nodes.values()].find((n) => n !== node && n.hardwareId !== null && n.hardwareId === hardwareId);
    if (other) {
      await this.log(node, 'fault', `its board (${hardwareId}) is known as ${other.name}: one of the two was written twice`);
    }
    node.hello = hello;
    if (!other) node.hardwareId = hardwareId;
    if (node.state !== 'proved') node.state = 'written';
    await database('node')
      .where({ id: node.id })
      .update({ hello: JSON.stringify(hello), hardware_id: node.hardwareId, state: node.state, heard_at: new Date() });
    node.heardAt = Date.now();
    await this.log(
      node,
      'info',
      `started: ${hello.firmware}, ${hello.resetReason}${hello.rssiDbm === undefined ? '' : `, ${hello.rssiDbm} dBm`}`,
    );
    this.parts.engine.linkBack(node);
    await this.onHello(node);
    this.tell(node);
  }

  async have(node: NodeEntry, revision: number): Promise<void> {
    node.haveRevision = revision;
    await this.parts.database('node').where({ id: node.id }).update({ have_revision: revision });
    this.tell(node);
  }

  log(node: NodeEntry, level: LogMessage['level'] | 'refused', text: string): Promise<void> {
    return writeNodeLog(this.parts.database, [{ node, level, text }]);
  }

  presence(node: NodeEntry, connected: boolean): void {
    if (node.connected === connected) return;
    node.connected = connected;
    if (connected) {
      this.parts.engine.linkBack(node);
      this.tell(node);
    }
    if (!connected) this.parts.engine.linkLost(node);
  }

  /** What a running node is told over the air: its intervals and guards. */
  settings(node: NodeEntry): SetMessage {
    return setSchema.parse({
      revision: node.revision,
      reportSeconds: node.reportSeconds,
      outputs: outputsOf([...node.points.values()].map((p) => p.body)),
    });
  }

  tell(node: NodeEntry): void {
    const event: LiveEvent = { type: 'node', node: nodeView(node) };
    this.parts.hub.publish([event]);
  }

  private async contact(node: NodeEntry): Promise<void> {
    if (node.keySealed === null) return;
    node.keySealed = null;
    if (node.oldKeyDigest) this.parts.registry.nodesByDigest.delete(node.oldKeyDigest.toString('hex'));
    node.oldKeyDigest = null;
    await this.parts
      .database('node')
      .where({ id: node.id })
      .update({ key_sealed: null, old_key_digest: null, first_contact_at: new Date() });
    this.tell(node);
  }
}

/** The outputs of a sheet as a node's configuration holds them. */
export function outputsOf(points: readonly SheetPoint[]): SetMessage['outputs'] {
  return points.flatMap(({ name, output }) =>
    output ? [{ point: name, guards: output.guards, leaseSeconds: output.leaseSeconds, readBack: output.readBack }] : [],
  );
}
