import type { SheetPoint } from '@dewpost/contract';
import { MOST_LEAVES, setSchema, type HaveMessage, type HelloMessage, type LogMessage, type SetMessage } from '@dewpost/core/wire';
import { timingSafeEqual } from 'node:crypto';
import { digestOf, randomToken, type Vault } from '../vault/vault';
import type { Engine } from '../engine/engine';
import { ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import type { OutboxItem } from '../outbox/items';
import type { HouseEvents } from '../model/house-events';
import type { Change, Store } from '../store/change';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { keepFirmware } from '../model/happenings';
import { keepFact } from '../model/node-facts';
import { writeNodeLog, type LogLine } from '../model/node-log';
import { nodeView } from '../model/views';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { NodeKeys } from './node-keys';
import { safeWords, updateWords } from './update-words';

/** Who is whose leaf is decided for one at a time. */
const LEAVES = 'leaves';
const HEARD_TOLD_MS = 5000;

interface Parts {
  store: Store;
  registry: Registry;
  engine: Engine;
  hub: Hub;
  vault: Vault;
  events: HouseEvents;
}

/** What a node does besides sending readings: makes contact, says hello, tells its revision, logs, comes and goes. */
export class Nodes {
  readonly keys: NodeKeys;

  constructor(private readonly parts: Parts) {
    this.keys = new NodeKeys({ ...parts, tellSettings: (change, node) => this.tellSettings(change, node) });
  }

  /** The node behind a name and key, or why not, in words for a log. First contact leaves only the key's digest. */
  async authenticate(name: string, key: string): Promise<NodeEntry | string> {
    const node = this.parts.registry.nodes.get(name);
    if (!node) return `no node is named ${name.slice(0, 64)}: make it under Plan first`;
    const digest = digestOf(key);
    if (timingSafeEqual(digest, node.keyDigest)) await this.keys.used(node);
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
    if (node?.keyDigest.equals(digest)) await this.keys.used(node);
    return node;
  }

  async hello(node: NodeEntry, hello: HelloMessage): Promise<void> {
    const { registry, store } = this.parts;
    await store.commitInTurn(laneOf(node), async (change) => {
      const wanted = hello.hardwareId ?? node.hardwareId;
      const other = [...registry.nodes.values()].find((n) => n !== node && n.hardwareId !== null && n.hardwareId === wanted);
      const hardwareId = other ? node.hardwareId : wanted;
      const now = Date.now();
      // It runs what it was told to run.
      const arrived = node.offer !== null && node.offer.manifest.sha256 === hello.firmwareSha256;
      // What stopped at its first readings stays stopped: starting anew mends no sensor. The row says what a reading on its way has decided.
      const [row] = (await change
        .trx('node')
        .where({ id: node.id })
        .update({
          hello: JSON.stringify(hello),
          hardware_id: hardwareId,
          state: change.trx.raw("case when state in ('proved', 'stopped') then state else 'written' end"),
          heard_at: new Date(now),
          ...(arrived && { offered_firmware: null }),
        })
        .returning('state')) as Pick<NodeEntry, 'state'>[];
      const state = row?.state ?? node.state;
      change.apply(() =>
        Object.assign(node, {
          hello,
          hardwareId,
          state,
          heardAt: now,
          helloAt: now,
          ...(arrived && { offeredFirmware: null, offer: null }),
        }),
      );
      change.apply(() => node.hellos++);
      const lines: LogLine[] = [
        {
          node,
          level: 'info',
          text: `started: ${hello.firmware}, ${hello.resetReason}${hello.rssiDbm === undefined ? '' : `, ${hello.rssiDbm} dBm`}`,
        },
      ];
      if (other)
        lines.unshift({ node, level: 'fault', text: `its board (${wanted}) is known as ${other.name}: one of the two was written twice` });
      await writeNodeLog(change.trx, lines);
      await keepFact(change.trx, node, { volts: hello.batteryVolts, rssiDbm: hello.rssiDbm }, now);
      const before = node.hello?.firmware;
      if (before !== undefined && before !== hello.firmware) await keepFirmware(change.trx, node, before, hello.firmware, now);
      if (arrived) await this.tellSettings(change, node);
      tellNode(change, this.parts.hub, node);
    });
    await this.parts.engine.linkBack(node);
    await this.parts.events.settle('hello', node);
    this.tell(node);
  }

  async have(node: NodeEntry, { revision, update, onBackup }: HaveMessage): Promise<void> {
    await this.parts.store.commitInTurn(laneOf(node), async (change) => {
      const now = Date.now();
      if (revision !== node.haveRevision)
        await changeNode(change, node, { have_revision: revision, have_at: new Date(now) }, { haveRevision: revision, haveAt: now });
      if (update) {
        const before = node.update?.report;
        const safe = update.state === 'safe' ? safeWords(update) : before?.sha256 === update.sha256 ? (node.update?.safe ?? null) : null;
        const level = update.state === 'refused' || update.state === 'fell-back' ? 'warning' : 'info';
        if (before?.state !== update.state || before.sha256 !== update.sha256)
          await writeNodeLog(change.trx, [{ node, level, text: updateWords(update) }]);
        change.apply(() => (node.update = { report: update, at: now, safe }));
      }
      tellNode(change, this.parts.hub, node);
    });
    if (onBackup !== undefined) await this.parts.events.settle('supply', { node, onBackup });
  }

  log(node: NodeEntry, level: LogMessage['level'] | 'refused', text: string): Promise<void> {
    return writeNodeLog(this.parts.store.database, [{ node, level, text }]);
  }

  async presence(node: NodeEntry, connected: boolean): Promise<void> {
    if (node.connected === connected) return;
    node.connected = connected;
    // One that was retired just now is gone for everybody.
    if (this.parts.registry.nodes.get(node.name) !== node) return;
    if (!connected) return this.parts.engine.linkLost(node);
    await this.parts.engine.linkBack(node);
    this.tell(node);
  }

  /** Something came from it that says nothing of any point: it is there all the same. Pages are told every five seconds at most. */
  heard(node: NodeEntry, now: number): void {
    if (now - (node.heardAt ?? 0) < HEARD_TOLD_MS) return;
    node.heardAt = now;
    this.tell(node);
  }

  /** What a running node is told over the air: its intervals and guards. */
  settings(node: NodeEntry): SetMessage {
    return setSchema.parse({
      revision: node.revision,
      reportSeconds: toldPace(node),
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

  /** Puts what a node is told into the outbox, to be sent after the commit as it is then. */
  async tellSettings(change: Change, ...nodes: readonly NodeEntry[]): Promise<void> {
    if (nodes.length === 0) return;
    const bodies = nodes.map((node) => ({ node: node.name }));
    const rows = (await change
      .trx('outbox')
      .insert(bodies.map((body) => ({ kind: 'settings', body: JSON.stringify(body) })))
      .returning(['id', 'body'])) as { id: number; body: { node: string } }[];
    change.tell(() =>
      this.parts.events.tell(
        'settings',
        rows.map(({ id, body }): OutboxItem => ({ id, kind: 'settings', body, attempts: 0 })),
      ),
    );
  }

  /**
   * Lists a node under a gateway, or under none. It gets a key that stays sealed, and is to be written again with it. Throws 422
   * where that cannot be: a leaf takes no commands, a gateway is no leaf, and it can hold only so many.
   */
  setGateway(node: NodeEntry, gateway: NodeEntry | null, burst: NodeEntry['burst'] | null, by: string): Promise<void> {
    const { registry, store, vault } = this.parts;
    const refuse = (why: string): never => {
      throw new ProblemError(422, 'Cannot be a leaf', why);
    };
    return store.commitInTurn(LEAVES, async (change) => {
      if (gateway) {
        const others = [...registry.nodes.values()];
        if (gateway === node || gateway.gateway !== null)
          refuse(`${gateway.name} cannot be its gateway: it is a leaf, or the node itself.`);
        if (others.some((other) => other.gateway === node.name)) refuse(`${node.name} is a gateway of others.`);
        if ([...node.points.values()].some((point) => point.body.output))
          refuse(`${node.name} switches outputs: a leaf sleeps and takes no commands. Give it a link of its own.`);
        if (others.filter((other) => other !== node && other.gateway === gateway.name).length >= MOST_LEAVES)
          refuse(`${gateway.name} has ${MOST_LEAVES} leaves, as many as a gateway can hold: give it another.`);
      }
      const before = node.gateway;
      const key = node.keySealed === null ? randomToken() : vault.open(node.keySealed);
      const sealed = node.keySealed ?? vault.seal(key);
      await this.nextRevision(change, node);
      await changeNode(
        change,
        node,
        {
          gateway_id: gateway?.id ?? null,
          burst: burst === null ? null : JSON.stringify(burst),
          ...(node.keySealed === null && { key_digest: digestOf(key), old_key_digest: node.keyDigest, key_sealed: sealed }),
        },
        { gateway: gateway?.name ?? null, burst },
      );
      if (node.keySealed === null) {
        const old = node.keyDigest;
        change.apply(() => registry.rekey(node, { digest: digestOf(key), old, sealed }));
      }
      const text = `${gateway ? `a leaf of ${gateway.name}` : 'a leaf no more'}, by ${by}: write it again to tell it`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      const told = [before, gateway?.name ?? null].flatMap((name) => (name === null ? [] : (registry.nodes.get(name) ?? [])));
      await this.tellSettings(change, ...new Set(told));
      tellNode(change, this.parts.hub, node);
    });
  }

  /** Something that a node holds has changed, in this change: its next revision, told over the air; a leaf is told when it is written again. */
  async changed(change: Change, node: NodeEntry, what: string): Promise<void> {
    await this.nextRevision(change, node);
    await writeNodeLog(change.trx, [{ node, level: 'info', text: what }]);
    await this.tellSettings(change, node);
    tellNode(change, this.parts.hub, node);
  }

  /** Counted by the database: two changes at once are two revisions. */
  private async nextRevision(change: Change, node: NodeEntry): Promise<void> {
    const [row] = (await change.trx('node').where({ id: node.id }).increment('revision', 1).returning('revision')) as {
      revision: number;
    }[];
    change.apply(() => (node.revision = Math.max(node.revision, row?.revision ?? 0)));
  }

  /** Changes how often a node reports: its next revision, told over the air. */
  setInterval(node: NodeEntry, reportSeconds: number, by: string): Promise<void> {
    return this.parts.store.commitInTurn(laneOf(node), async (change) => {
      await changeNode(change, node, { report_seconds: reportSeconds }, { reportSeconds });
      change.apply(() => {
        for (const point of node.points.values()) this.parts.registry.retime(point);
      });
      await this.changed(change, node, `reports every ${reportSeconds} s from revision ${node.revision + 1} on, by ${by}`);
    });
  }

  tell(node: NodeEntry): void {
    this.parts.hub.publish([{ type: 'node', node: nodeView(node) }]);
  }
}

/** The outputs of a sheet as a node's configuration holds them. */
export function outputsOf(points: readonly SheetPoint[]): SetMessage['outputs'] {
  return points.flatMap(({ name, output }) =>
    output ? [{ point: name, guards: output.guards, leaseSeconds: output.leaseSeconds, readBack: output.readBack }] : [],
  );
}

/** While somebody stands beside a sensor with an instrument its node reports so often, s; what reports more often anyhow goes on so. */
const WORKED_AT_SECONDS = 5;
const toldPace = ({ points, reportSeconds }: NodeEntry): number =>
  [...points.values()].some(({ heldUntil }) => heldUntil !== null) ? Math.min(WORKED_AT_SECONDS, reportSeconds) : reportSeconds;
