import { doneSchema, fitSchema, haveSchema, helloSchema, logSchema, saidSchema, type Upward } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { startBroker } from '../broker/broker';
import type { Broker, BrokerClient } from '../broker/hooks';
import type { Config } from '../config/config';
import type { Engine } from '../engine/engine';
import type { Intake } from '../intake/intake';
import { readMessage } from '../intake/node-routes';
import type { HouseEvents } from '../model/house-events';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Certificate } from '../net/certificate';
import type { AdoptedNodes } from '../nodes/adopted';
import type { Nodes } from '../nodes/nodes';
import { readerTopic, type Readers } from '../nodes/readers';
import type { Fits } from '../provision/fits';

interface Parts {
  config: Config;
  log: Logger;
  registry: Registry;
  events: HouseEvents;
  engine: Engine;
  nodes: Nodes;
  fits: Fits;
  intake: Intake;
  adoptedNodes: AdoptedNodes;
  readingAccounts: Readers;
  certificate: Certificate | null;
  /** What nobody waits for: said in the log where it fails. */
  later: (work: Promise<unknown>, words: string) => void;
}

/** Opens the broker's doors and says who takes what comes in by them. */
export async function openBroker(parts: Parts): Promise<Broker> {
  const { config, log, registry, nodes, adoptedNodes, readingAccounts, intake, certificate, later } = parts;
  const authenticate = async (name: string, key: string): Promise<BrokerClient | string> => {
    const reader = readingAccounts.authenticate(name, key);
    if (reader !== null) return reader ? { kind: 'reader', name } : 'wrong password';
    const node = await nodes.authenticate(name, key);
    if (typeof node === 'string') return node;
    return { kind: node.kind === 'adopted' ? 'adopted' : 'node', name, node };
  };
  const broker = await startBroker(
    {
      bind: config.bind,
      port: config.mqttPort,
      connectionsPerAddress: config.connectionsPerAddress,
      log,
      tls: certificate ? { port: config.mqttsPort, serve: certificate.serve } : undefined,
    },
    {
      authenticate,
      isDeafTo: (name) => registry.deafTo.has(name),
      isOurs: (name) => {
        const node = registry.nodes.get(name);
        return node !== undefined && node.kind !== 'adopted';
      },
      mayUse: (node, topic) => adoptedNodes.mayUse(node, topic),
      heard: async (node, topic, payload, retained) => {
        const now = Date.now();
        const values = adoptedNodes.hear(node, topic, payload, retained, now);
        nodes.heard(node, now);
        if (values) await intake.add({ node, body: { ...values }, arrivedAt: Date.now() });
      },
      mayHear: (account, topic) => readingAccounts.mayHear(account, topic),
      received: (node, channel, payload) => take(node, channel, payload),
      leafOf: (gateway, name) => {
        const leaf = registry.nodes.get(name);
        return leaf?.gateway === gateway.name ? leaf : null;
      },
      connected: (node) => {
        later(nodes.presence(node, true), 'a node has come, and it could not be noted');
        if (node.kind !== 'adopted') broker.send(node.name, 'set', nodes.settings(node), true);
      },
      gone: (node) => later(nodes.presence(node, false), 'a node has gone, and it could not be noted'),
      refused: (node, why) => later(nodes.log(node, 'refused', why), 'a log line was not written'),
    },
  );

  const take = async (node: NodeEntry, channel: Upward, payload: Buffer): Promise<void> => {
    const text = payload.toString('utf8');
    if (channel === 'up') {
      const verdict = await intake.add({ node, body: text, arrivedAt: Date.now() });
      if (verdict.refused.length > 0 || verdict.clockOff) {
        broker.send(node.name, 'refused', { refused: verdict.refused.slice(0, 50), ...(verdict.clockOff && { serverTime: Date.now() }) });
      }
      return;
    }
    const problem = await handle(parts, node, channel, text);
    if (problem === null) return;
    await nodes.log(node, 'refused', `${channel}: ${problem}`);
    broker.send(node.name, 'refused', { refused: [{ point: null, why: `${channel}: ${problem}` }] });
  };
  return broker;
}

/** Takes a message that is no readings; gives in words what is wrong with it, or `null`. */
function handle(
  { nodes, fits, engine, events }: Parts,
  node: NodeEntry,
  channel: Exclude<Upward, 'up'>,
  text: string,
): Promise<string | null> {
  switch (channel) {
    case 'hello':
      return withMessage(readMessage(helloSchema, text), (message) => nodes.hello(node, message));
    case 'have':
      return withMessage(readMessage(haveSchema, text), (message) => nodes.have(node, message));
    case 'fit':
      return withMessage(readMessage(fitSchema, text), (message) => fits.heard(node, message));
    case 'done': {
      const said = readMessage(saidSchema, text);
      if (typeof said !== 'string') {
        events.tell('said', { node, answer: said.message });
        return Promise.resolve(null);
      }
      return withMessage(readMessage(doneSchema, text), (message) => engine.readBack(node, message));
    }
    case 'log':
      return withMessage(readMessage(logSchema, text), (message) => nodes.log(node, message.level, message.text));
    case 'gone':
      return Promise.resolve(null);
  }
}

async function withMessage<M>(read: { message: M } | string, act: (message: M) => Promise<void>): Promise<string | null> {
  if (typeof read === 'string') return read;
  await act(read.message);
  return null;
}

/** Publishes the newest readings of these points for reading accounts: value, unit, time (Unix seconds) and quality. */
export function publishForReaders(broker: Broker, engine: Engine, points: readonly PointEntry[]): void {
  for (const point of points) {
    const newest = engine.state.newest.get(point.id);
    if (!newest) continue;
    broker.publishOut(readerTopic(point), { v: newest.value, u: point.body.unit, t: newest.at / 1000, q: newest.quality });
  }
}
