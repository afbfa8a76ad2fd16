import type { Rollout as RolloutView } from '@dewpost/contract';
import { sleeps, type Catalogue } from '@dewpost/core/circuit';
import { haltingFigure, type RolloutSight, type Rollout, type RolloutNode, type RolloutState } from '@dewpost/core/update';
import type { Database } from '../database/connect';
import { draftsOf } from '../model/drafts';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { firmwareRows, type FirmwareRow } from './firmware';

/** A board on a battery sleeps between reports from this interval on. */
const SLEEPS_FROM_SECONDS = 300;

/** What is on record of the sheet a node was made from. */
export interface Build {
  board: string | null;
  /** It sleeps between reports. */
  sleeps: boolean;
  /** Battery of its supply; `null`: it has none. */
  battery: { lowRestedVolts: number } | null;
}

export interface UnderWay {
  id: number;
  image: FirmwareRow;
  by: string;
  madeAt: number;
  endedAt: number | null;
  rollout: Rollout;
  facts: Map<string, NodeFacts>;
}
/** Of a node: the image before, its run in the ledger, and the counters it is measured from. */
export interface NodeFacts {
  entry: NodeEntry;
  before: string | null;
  runId: number | null;
  from: Counters | null;
  build: Build;
}
export interface Counters {
  at: number;
  stored: number;
  hellos: number;
}

/** Why a node takes no part, said before anything is told; `null`: it takes part. */
export function leftOut(entry: NodeEntry, image: FirmwareRow, build: Build): string | null {
  const hasOutputs = [...entry.points.values()].some((point) => point.body.output);
  if (entry.kind === 'computed') return 'is computed here';
  if (entry.kind === 'source') return 'is a source: it has no board';
  if (entry.kind === 'adopted') return 'is adopted: its firmware stays as it is';
  if (entry.gateway !== null) return 'is a leaf: it takes no images over the air';
  if (entry.state !== 'proved') return 'is not proved yet: write it at the bench';
  if (build.board !== null && build.board !== image.board) return `has a ${build.board}, the image is for ${image.board}`;
  if (entry.hello?.firmwareSha256 === image.sha256) return 'runs it already';
  if (hasOutputs && image.signed_by === null) return 'switches outputs, and the image is not signed';
  if (image.minimum_revision > entry.revision)
    return `holds revision ${entry.revision}, the image reads ${image.minimum_revision} and later`;
  return supplyProblem(entry, build);
}

/** What is not fine about a node's supply, by the volts it said last. */
export function supplyProblem(entry: NodeEntry, build: Build): string | null {
  const volts = entry.hello?.batteryVolts;
  if (build.battery === null || volts === undefined || volts > build.battery.lowRestedVolts) return null;
  return `its battery is low: ${volts.toFixed(2)} V, ${build.battery.lowRestedVolts.toFixed(2)} V is the mark`;
}

/** Readings since, as a share of what its interval gives; `null` before two reports are due. */
export function rateShare(entry: NodeEntry, from: Counters, now: number): number | null {
  const reports = (now - from.at) / (entry.reportSeconds * 1000);
  const got = entry.stored - from.stored;
  if (reports < 2) return got > 0 && entry.reportSeconds >= 300 ? 1 : null;
  const points = [...entry.points.values()].filter((point) => point.body.kind !== 'derived').length;
  // The report under way is not missing yet.
  return points === 0 ? 1 : got / (points * (reports - 1));
}

/** A rollout as pages see it. */
export function viewOf(underWay: UnderWay): RolloutView {
  const { id, image, by, madeAt, endedAt, rollout } = underWay;
  return {
    id,
    firmware: image.id,
    version: `${image.name} ${image.version}`,
    bytes: image.bytes,
    by,
    madeAt,
    endedAt,
    rule: { ...rollout.rule, shares: [...rollout.rule.shares] },
    state: rollout.state,
    why: rollout.why,
    // How many have begun after each step; those left out at the start belong to none.
    sizes: [...new Set(rollout.nodes.map((node) => node.step))]
      .filter((step) => step >= 0)
      .sort((a, b) => a - b)
      .map((step) => rollout.nodes.filter((node) => node.step >= 0 && node.step <= step).length),
    halting: haltingFigure(rollout),
    nodes: rollout.nodes.map(({ reached: _, ...node }) => node),
  };
}

/** What is on record of the sheets that nodes were made from. */
export async function buildsOf(database: Database, entries: readonly NodeEntry[], catalogue: Catalogue): Promise<Map<number, Build>> {
  const { supplies } = catalogue;
  const drafts = await draftsOf(database, entries);
  return new Map(
    [...drafts].map(([id, draft]) => {
      const supply = draft ? supplies.get(draft.supply) : undefined;
      const asleep = draft !== null && supply !== undefined && sleeps(draft, supply);
      return [id, { board: draft?.board ?? null, battery: supply?.battery ?? null, sleeps: asleep }];
    }),
  );
}

export interface RolloutRow {
  id: number;
  firmware_id: string;
  by_whom: string;
  made_at: Date;
  ended_at: Date | null;
  rule: Rollout['rule'];
  state: RolloutState;
  why: string;
}
interface RolloutNodeRow {
  name: string;
  step: number;
  state: RolloutNode['state'];
  since: Date;
  why: string;
  before_firmware: string | null;
  run_id: number | null;
}

/** A stored rollout with what is known of its nodes; `null`: its image is gone. */
export async function readRollout(
  parts: { database: Database; registry: Registry; catalogue: Catalogue },
  row: RolloutRow,
): Promise<UnderWay | null> {
  const { database, registry, catalogue } = parts;
  const image = (await firmwareRows(database)).find((one) => one.id === row.firmware_id);
  if (!image) return null;
  const rows = (await database('rollout_node as m')
    .join('node as n', 'n.id', 'm.node_id')
    .where('m.rollout_id', row.id)
    .orderBy('m.place')
    .select('m.*', 'n.name')) as RolloutNodeRow[];
  const builds = await buildsOf(
    database,
    rows.flatMap(({ name }) => registry.nodes.get(name) ?? []),
    catalogue,
  );
  const facts: UnderWay['facts'] = new Map();
  for (const one of rows) {
    const entry = registry.nodes.get(one.name);
    if (!entry) continue;
    const from = one.state === 'watched' ? { at: Date.now(), stored: entry.stored, hellos: entry.hellos } : null;
    facts.set(one.name, {
      entry,
      before: one.before_firmware,
      runId: one.run_id,
      from,
      build: builds.get(entry.id) ?? { board: null, battery: null, sleeps: false },
    });
  }
  const nodes = rows.map(({ name, step, state, since, why }): RolloutNode => ({
    node: name,
    step,
    state,
    since: since.getTime(),
    // What is known after a restart is what it runs.
    reached: registry.nodes.get(name)?.hello?.firmwareSha256 === image.sha256,
    bytes: 0,
    why,
  }));
  return {
    id: row.id,
    image,
    by: row.by_whom,
    madeAt: row.made_at.getTime(),
    endedAt: row.ended_at?.getTime() ?? null,
    facts,
    rollout: { rule: row.rule, state: row.state, nodes, why: row.why },
  };
}

/** What a look at a node of a rollout sees at `now`, ms. */
export function sightOf({ image }: UnderWay, { entry, from, build }: NodeFacts, now: number): RolloutSight {
  return {
    connected: entry.connected,
    sleeps: build.sleeps && entry.reportSeconds >= SLEEPS_FROM_SECONDS,
    runs: entry.hello?.firmwareSha256 ?? null,
    helloAt: entry.helloAt,
    resets: from ? Math.max(0, entry.hellos - from.hellos) : 0,
    rateShare: from ? rateShare(entry, from, now) : null,
    supplyProblem: supplyProblem(entry, build),
    report: entry.update?.report.sha256 === image.sha256 ? entry.update.report : null,
    reportAt: entry.update?.at ?? null,
  };
}
