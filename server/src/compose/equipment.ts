import { Calibrations } from '../calibrate/calibrations';
import { Holds } from '../calibrate/holds';
import type { Engine } from '../engine/engine';
import { AdoptedNodes } from '../nodes/adopted';
import { NodeCare } from '../nodes/node-care';
import { Nodes } from '../nodes/nodes';
import { Readers } from '../nodes/readers';
import { BatteryWatch } from '../provision/battery-watch';
import { Fits } from '../provision/fits';
import { Rollouts } from '../provision/rollouts';
import { Runs } from '../provision/runs';
import { Lockouts } from '../respond/lockouts';
import { OutputLimitsBook } from '../respond/output-limits';
import type { Base } from './base';
import { publishForReaders } from './broker';

/** Nodes and all that is done with them: adopted, read, calibrated, held, locked out, written, fitted, renewed. */
export interface Equipment {
  readonly nodes: Nodes;
  readonly adoptedNodes: AdoptedNodes;
  readonly readingAccounts: Readers;
  readonly calibrations: Calibrations;
  readonly holds: Holds;
  readonly lockouts: Lockouts;
  readonly outputLimits: OutputLimitsBook;
  readonly care: NodeCare;
  readonly runs: Runs;
  readonly fits: Fits;
  readonly rollouts: Rollouts;
}

/** `httpPort` is the port that nodes fetch images from, once the page's door is open. */
export async function standNodes(base: Base, engine: Engine, httpPort: () => number): Promise<Equipment> {
  const { config, log, database, store, vault, profiles, registry, hub, events, line, note } = base;
  const nodes = new Nodes({ store, registry, engine, hub, vault, events });
  const adoptedNodes = new AdoptedNodes({ store, database, registry, hub, vault, note });
  await adoptedNodes.load();
  const readingAccounts = await readersOf(base, engine);
  const calibrations = new Calibrations({ store, database, registry, engine, hub, events, log });
  await calibrations.load();
  const holds = new Holds({ registry, engine, nodes, hub, log });
  holds.load();
  const lockouts = new Lockouts({ registry, engine, nodes, hub, log });
  lockouts.load();
  const outputLimits = new OutputLimitsBook({ database, registry, engine, nodes, hub, log });
  const care = new NodeCare({ store, database, registry, engine, nodes, hub, events });
  const runs = new Runs({
    ...{ store, registry, engine, hub, log, vault, config, profiles },
    mqttPort: () => line.broker?.port ?? config.mqttPort,
  });
  const batteries = new BatteryWatch({ database, engine, profiles });
  const fits = new Fits({
    ...{ store, registry, engine, hub, events, log, profiles, runs },
    seconds: config.fitSeconds,
    armed: async (change, node) => {
      if (registry.hasOwnThresholds(node)) await nodes.changed(change, node, 'its thresholds are armed, and told to it');
    },
    ask: (node, message) => line.broker?.send(node.name, 'do', message) ?? false,
  });
  const rollouts = new Rollouts({
    ...{ store, registry, engine, nodes, runs, hub, log, profiles },
    tickMs: config.tickMs,
    timezone: async () => (await base.site()).timezone,
    imageAddress: () => `http://${config.nodeAddress}:${httpPort()}/node/v1/image`,
  });
  events.on('retired', (node) => adoptedNodes.forget(node));
  events.on('hello', (node) => runs.contact(node));
  events.on('hello', (node) => batteries.heard(node));
  events.on('supply', ({ node, onBackup }) => batteries.supplied(node, onBackup));
  events.on('readBack', ({ node, output, done }) => runs.readBack(node, output, done));
  events.on('keyRevoked', (node) => line.broker?.disconnect(node.name));
  return { nodes, adoptedNodes, readingAccounts, calibrations, holds, lockouts, outputLimits, care, runs, fits, rollouts };
}

/** Accounts that only listen, and what is published for them as it is read. */
async function readersOf({ store, database, registry, events, line }: Base, engine: Engine): Promise<Readers> {
  const readers = new Readers({
    ...{ store, database, registry },
    publish: (points) => line.broker && publishForReaders(line.broker, engine, points),
    withdraw: (topics) => topics.forEach((topic) => line.broker?.publishOut(topic, null)),
    disconnect: (account) => line.broker?.disconnect(account),
    connected: (account) => line.broker?.sessionsOf(account) ?? 0,
  });
  await readers.load();
  events.on('readings', (items) => {
    const heard = new Set(items.flatMap(({ point }) => (readers.isHeard(point) ? [point] : [])));
    if (line.broker && heard.size > 0) publishForReaders(line.broker, engine, [...heard]);
  });
  return readers;
}
