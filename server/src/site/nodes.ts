import type { LiveEvent, SheetPoint } from '@dewpost/contract';
import { setSchema, type HaveMessage, type HelloMessage, type LogMessage, type SetMessage, type UpdateReport } from '@dewpost/core/wire';
import { timingSafeEqual } from 'node:crypto';
import { digestOf, randomToken, type Vault } from '../access/vault';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import { writeNodeLog } from './node-log';
import { nodeView, type NodeEntry, type Registry } from './registry';

interface Parts {
  database: Database;
  registry: Registry;
  engine: Engine;
  hub: Hub;
  vault: Vault;
}

/** What a node does besides sending readings: makes contact, says hello, tells its revision, logs, comes and goes. */
export class Nodes {
  /** Called when a node has said hello, after it is stored. */
  onHello: (node: NodeEntry) => Promise<void> = () => Promise.resolve();
  /** Called when a node's keys have become worthless: its sessions are ended. */
  onRevoked: (node: NodeEntry) => void = () => undefined;
  /** Called when what a node is told by `set` has changed. */
  onSettings: (node: NodeEntry) => void = () => undefined;

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
    node.hellos++;
    node.helloAt = Date.now();
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
    if (node.offer !== null && node.offer.manifest.sha256 === hello.firmwareSha256) {
      // It runs what it was told to run.
      node.offeredFirmware = null;
      node.offer = null;
      await database('node').where({ id: node.id }).update({ offered_firmware: null });
      this.onSettings(node);
    }
    await this.onHello(node);
    this.tell(node);
  }

  async have(node: NodeEntry, { revision, update }: HaveMessage): Promise<void> {
    if (revision !== node.haveRevision) {
      node.haveRevision = revision;
      node.haveAt = Date.now();
      await this.parts
        .database('node')
        .where({ id: node.id })
        .update({ have_revision: revision, have_at: new Date(node.haveAt) });
    }
    if (update) {
      const before = node.update?.report;
      const safe = update.state === 'safe' ? safeWords(update) : before?.sha256 === update.sha256 ? (node.update?.safe ?? null) : null;
      node.update = { report: update, at: Date.now(), safe };
      if (before?.state !== update.state || before.sha256 !== update.sha256)
        await this.log(node, update.state === 'refused' || update.state === 'fell-back' ? 'warning' : 'info', updateWords(update));
    }
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
      image: node.offer,
      thresholds: this.parts.registry.ownThresholds(node),
      ...this.leavesOf(node),
      ...(node.keyRotates && node.keySealed !== null && { key: this.parts.vault.open(node.keySealed) }),
    });
  }

  /** The leaves of a gateway with their keys, which stay sealed for life; nothing for any other node. */
  private leavesOf(node: NodeEntry): { leaves?: { node: string; key: string }[] } {
    const leaves = [...this.parts.registry.nodes.values()].flatMap((leaf) =>
      leaf.gateway === node.name && leaf.keySealed !== null ? [{ node: leaf.name, key: this.parts.vault.open(leaf.keySealed) }] : [],
    );
    return leaves.length > 0 ? { leaves } : {};
  }

  /**
   * Lists a node under a gateway, or under none. It gets a key that stays sealed, and is to be written again with it. Throws 422
   * where that cannot be: a leaf takes no commands, and a gateway is no leaf.
   */
  async setGateway(node: NodeEntry, gateway: NodeEntry | null, burst: NodeEntry['burst'] | null, by: string): Promise<void> {
    const { database, registry, vault } = this.parts;
    const refuse = (why: string): never => {
      throw new ProblemError(422, 'Cannot be a leaf', why);
    };
    if (gateway) {
      if (gateway === node || gateway.gateway !== null) refuse(`${gateway.name} cannot be its gateway: it is a leaf, or the node itself.`);
      if ([...registry.nodes.values()].some((other) => other.gateway === node.name)) refuse(`${node.name} is a gateway of others.`);
      if ([...node.points.values()].some((point) => point.body.output))
        refuse(`${node.name} switches outputs: a leaf sleeps and takes no commands. Give it a link of its own.`);
    }
    const before = node.gateway;
    const revision = node.revision + 1;
    const key = node.keySealed === null ? randomToken() : vault.open(node.keySealed);
    const sealed = node.keySealed ?? vault.seal(key);
    await database('node')
      .where({ id: node.id })
      .update({
        gateway_id: gateway?.id ?? null,
        burst: burst === null ? null : JSON.stringify(burst),
        revision,
        ...(node.keySealed === null && { key_digest: digestOf(key), old_key_digest: node.keyDigest, key_sealed: sealed }),
      });
    if (node.keySealed === null) registry.rekey(node, { digest: digestOf(key), old: node.keyDigest, sealed });
    node.revision = revision;
    node.gateway = gateway?.name ?? null;
    node.burst = burst;
    await this.log(node, 'info', `${gateway ? `a leaf of ${gateway.name}` : 'a leaf no more'}, by ${by}: write it again to tell it`);
    for (const name of [before, node.gateway]) {
      const told = name === null ? undefined : registry.nodes.get(name);
      if (told) this.onSettings(told);
    }
    this.tell(node);
  }

  /** Something that a node holds has changed: its next revision, told over the air; a leaf is told when it is written again. */
  async changed(node: NodeEntry, what: string): Promise<void> {
    const revision = node.revision + 1;
    await this.parts.database('node').where({ id: node.id }).update({ revision });
    node.revision = revision;
    await this.log(node, 'info', what);
    this.onSettings(node);
    this.tell(node);
  }

  /** Changes how often a node reports: its next revision, told over the air. */
  async setInterval(node: NodeEntry, reportSeconds: number, by: string): Promise<void> {
    const revision = node.revision + 1;
    await this.parts.database('node').where({ id: node.id }).update({ revision, report_seconds: reportSeconds });
    node.revision = revision;
    node.reportSeconds = reportSeconds;
    await this.log(node, 'info', `reports every ${reportSeconds} s from revision ${revision} on, by ${by}`);
    this.onSettings(node);
    this.tell(node);
  }

  /**
   * Gives a node a new key, told to it over the air: its old one goes on working until the new one has been used. Throws where
   * it has not made contact yet: there is nothing to rotate then.
   */
  async rotateKey(node: NodeEntry, by: string): Promise<void> {
    const { database, registry, vault } = this.parts;
    if (node.keyRotates) return;
    if (node.keySealed !== null)
      throw new ProblemError(409, 'Key not used yet', `${node.name} has not used its present key yet: write it at the bench.`);
    const key = randomToken();
    const sealed = vault.seal(key);
    await database('node')
      .where({ id: node.id })
      .update({ key_digest: digestOf(key), old_key_digest: node.keyDigest, key_sealed: sealed, key_rotates: true });
    registry.rekey(node, { digest: digestOf(key), old: node.keyDigest, sealed });
    node.keyRotates = true;
    await this.log(node, 'info', `its key is rotated by ${by}: the old one works until the new one has been used`);
    this.onSettings(node);
    this.tell(node);
  }

  /** Makes a node's keys worthless at once: it is cut off until it is written again. */
  async revokeKey(node: NodeEntry, by: string): Promise<void> {
    const { database, registry, vault } = this.parts;
    const key = randomToken();
    const sealed = vault.seal(key);
    await database('node')
      .where({ id: node.id })
      .update({ key_digest: digestOf(key), old_key_digest: null, key_sealed: sealed, key_rotates: false });
    registry.rekey(node, { digest: digestOf(key), old: null, sealed });
    node.keyRotates = false;
    await this.log(node, 'warning', `its key was revoked by ${by}: it is cut off until it is written again`);
    this.onRevoked(node);
    // Its gateway is to take nothing with the old key any more.
    const gateway = node.gateway === null ? undefined : registry.nodes.get(node.gateway);
    if (gateway) this.onSettings(gateway);
    this.tell(node);
  }

  tell(node: NodeEntry): void {
    const event: LiveEvent = { type: 'node', node: nodeView(node) };
    this.parts.hub.publish([event]);
  }

  private async contact(node: NodeEntry): Promise<void> {
    // A gateway needs its leaves' keys for life.
    if (node.keySealed === null || node.gateway !== null) return;
    const rotated = node.keyRotates;
    this.parts.registry.rekey(node, { digest: node.keyDigest, old: null, sealed: null });
    node.keyRotates = false;
    await this.parts
      .database('node')
      .where({ id: node.id })
      .update({ key_sealed: null, old_key_digest: null, key_rotates: false, first_contact_at: new Date() });
    if (rotated) {
      await this.log(node, 'info', 'its new key has been used: the old one is worthless now');
      this.onSettings(node);
    }
    this.tell(node);
  }
}

const safeWords = ({ secondRadio }: UpdateReport): string =>
  `outputs fail-safe${secondRadio === undefined ? '' : secondRadio === 'off' ? ', second radio off' : ', no second radio'}`;

const updateWords = (report: UpdateReport): string =>
  `image ${report.sha256.slice(0, 12)}: ${
    {
      safe: safeWords(report),
      fetching: 'being fetched',
      proved: 'digest and signature hold',
      starting: 'starting it in the spare slot',
      kept: 'kept: it has reported in',
      'fell-back': 'fell back to the image before',
      refused: 'refused',
    }[report.state]
  }${report.why ? `, ${report.why}` : ''}`;

/** The outputs of a sheet as a node's configuration holds them. */
export function outputsOf(points: readonly SheetPoint[]): SetMessage['outputs'] {
  return points.flatMap(({ name, output }) =>
    output ? [{ point: name, guards: output.guards, leaseSeconds: output.leaseSeconds, readBack: output.readBack }] : [],
  );
}
