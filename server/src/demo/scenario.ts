import { addressingSchema, type Addressing, type SheetPoint } from '@dewpost/contract';
import { clearLevelOf, SEVERITIES, usualConsequences } from '@dewpost/core/alarm';
import { CALIBRATION_METHODS, fitCalibration } from '@dewpost/core/calibration';
import { sheetDraftSchema, type Catalogue } from '@dewpost/core/circuit';
import { freeAddresses } from '@dewpost/core/network';
import { sitePlanSchema, type SitePlan } from '@dewpost/core/site-plan';
import { USUAL_BURST } from '@dewpost/core/leaf';
import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import * as z from 'zod';
import { addAccount } from '../access/accounts';
import { DEMO_ACCOUNTS } from '../access/demo-accounts';
import type { Vault } from '../vault/vault';
import type { Database, Transaction } from '../database/connect';
import { climatePost } from '../plan/climate-post';
import { saveSheet } from '../plan/sheets';
import { savePlan } from '../plan/site-plan';
import { currentSheets, ensureRoom, makeNodes } from '../nodes/make-nodes';
import { accessPointOf, leafParts } from '../nodes/leaves';
import { outputsOf } from '../nodes/nodes';
import { demoComputedSchema, makeComputed } from './computed';
import { pastSchema } from './past';
import { writeYesterday, yesterdaySchema } from './history';
import { startsSchema, writeStarts } from './starts';

const seconds = z.number().nonnegative();
/** Soil probes drift: at the mill they are due again after a quarter of a year. */
const SOIL_DUE_DAYS = 90;
const DAY_MS = 86_400_000;
/** What points are called at this node, by their names; the others as their sheet calls them. */
const labels = z.record(z.string(), z.string()).default({});

/** A site as data: its rooms, nodes, thresholds and how fast everything goes. Files in `server/demo/`. */
export const scenarioSchema = z.object({
  site: z.object({ name: z.string(), timezone: z.string() }),
  networks: z.array(z.object({ name: z.string(), passphrase: z.string() })).min(1),
  rooms: z.array(z.string()),
  timing: z.object({
    reportSeconds: z.number().positive(),
    leaseSeconds: z.number().positive(),
    minOnSeconds: seconds,
    minOffSeconds: seconds,
    maxRunSeconds: z.number().positive(),
    restSeconds: seconds,
    stuckAfterSeconds: z.number().positive(),
  }),
  /** Build sheets beside the climate post, drawn as a maker draws them. */
  sheets: z.array(z.object({ name: z.string(), draft: sheetDraftSchema })).default([]),
  nodes: z.array(
    z.object({
      id: z.string(),
      room: z.string(),
      sheet: z.string().default('Climate post'),
      labels,
      yesterday: yesterdaySchema.optional(),
      starts: startsSchema.optional(),
      /** The node that it is a leaf of. */
      gateway: z.string().optional(),
    }),
  ),
  planned: z.array(z.object({ id: z.string(), room: z.string(), sheet: z.string().default('Climate post'), labels })),
  /** Its subnets; every node gets the next free address of its own. */
  addressing: addressingSchema.nullable().default(null),
  /** Name of the file with its site plan, beside the scenario. */
  plan: z.string().nullable().default(null),
  /** Points that somebody has calibrated, so many days before the demo begins. */
  calibrations: z
    .array(
      z.object({
        node: z.string(),
        point: z.string(),
        method: z.enum(CALIBRATION_METHODS),
        captures: z.array(z.object({ raw: z.number(), reference: z.number() })),
        note: z.string(),
        daysAgo: z.number().nonnegative(),
        dueDays: z.number().positive().default(SOIL_DUE_DAYS),
        /** Where it was copied from, not confirmed yet. */
        inherited: z.string().nullable().default(null),
        /** It was withdrawn so many days before. */
        withdrawnDaysAgo: z.number().nonnegative().nullable().default(null),
      }),
    )
    .default([]),
  /** What it was like before; `null`: the day before alone. */
  past: pastSchema.nullable().default(null),
  /** Points that are computed from others. */
  computed: z.array(demoComputedSchema).default([]),
  thresholds: z.array(
    z.object({
      node: z.string(),
      point: z.string(),
      side: z.enum(['high', 'low']),
      setpoint: z.number(),
      deadband: z.number(),
      onDelaySeconds: seconds,
      offDelaySeconds: seconds,
      severity: z.enum(SEVERITIES),
      output: z.string().nullable(),
      tells: z.enum(['alert', 'journal']).default('alert'),
    }),
  ),
});
export type Scenario = z.infer<typeof scenarioSchema>;

/** Reads a scenario file and the plan it names. Throws what is wrong with them. */
export function readScenario(file: string): Scenario & { drawn: SitePlan | null } {
  const scenario = scenarioSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
  const drawn = scenario.plan === null ? null : sitePlanSchema.parse(JSON.parse(readFileSync(join(dirname(file), scenario.plan), 'utf8')));
  return { ...scenario, drawn };
}

/**
 * Loads a scenario into an empty, migrated database and gives the configurations that its written nodes hold, as if each
 * had been written at the bench before.
 */
export async function loadScenario(
  database: Database,
  vault: Vault,
  catalogue: Catalogue,
  scenario: Scenario & { drawn: SitePlan | null },
  broker: { host: string; port: number },
  config: { leafPort: number; standinsUrl: string | null },
): Promise<NodeConfiguration[]> {
  for (const account of DEMO_ACCOUNTS) await addAccount(database, account.name, account.role, account.password, true);
  for (const { name, draft } of scenario.sheets) await saveSheet(database, catalogue, { name, draft, base: null });
  const keys = new Map<string, string>();
  await database.transaction(async (trx) => {
    await trx('site')
      .insert({ ...scenario.site })
      .onConflict('one')
      .merge();
    for (const [i, network] of scenario.networks.entries())
      await trx('site_network')
        .insert({ place: i + 1, name: network.name, passphrase_sealed: vault.seal(network.passphrase) })
        .onConflict('place')
        .merge();
    await trx('build_sheet')
      .insert({ slug: 'climate-post', version: 1, name: 'Climate post', body: JSON.stringify(climatePost(catalogue, scenario.timing)) })
      .onConflict(['slug', 'version'])
      .merge();
    for (const room of scenario.rooms) await ensureRoom(trx, room);
    for (const { id, room, sheet } of [...scenario.nodes, ...scenario.planned]) {
      for (const [name, key] of await makeNodes(trx, vault, { ids: [id], room, buildSheet: sheet })) keys.set(name, key);
    }
    await trx('node')
      .whereIn(
        'name',
        scenario.nodes.map((node) => node.id),
      )
      .update({ state: 'proved', fitted_at: new Date(), fitted_by: 'millwright' });
    for (const { id, gateway } of scenario.nodes)
      if (gateway)
        await trx('node')
          .where({ name: id })
          .update({ gateway_id: trx('node').where({ name: gateway }).select('id') });
    const points = (await trx('point as p')
      .join('node as n', 'n.id', 'p.node_id')
      .select('p.id', 'p.name', 'p.body', 'n.name as node')) as {
      id: number;
      name: string;
      node: string;
      body: SheetPoint;
    }[];
    const find = (node: string, name: string): number | null =>
      points.find((point) => point.node === node && point.name === name)?.id ?? null;
    const pointId = (node: string, name: string): number => {
      const found = find(node, name);
      if (found === null) throw new Error(`the scenario names ${node} ${name}, which does not exist`);
      return found;
    };
    for (const { id, labels: own } of [...scenario.nodes, ...scenario.planned])
      for (const [name, label] of Object.entries(own))
        await trx('point')
          .where({ id: pointId(id, name) })
          .update({ label });
    for (const one of scenario.calibrations) await keepCalibration(trx, pointId(one.node, one.point), one);
    await makeComputed(trx, vault, scenario.computed, (node, name) => {
      const id = pointId(node, name);
      const { unit = '', min = 0, max = 100 } = points.find((one) => one.id === id)?.body ?? {};
      return { id, unit, min, max };
    });
    await writeYesterday(database, trx, scenario.nodes, find, Date.now());
    await writeStarts(trx, scenario.nodes, Date.now());
    for (const { node, point, output, ...rule } of scenario.thresholds) {
      const [row] = (await trx('threshold')
        .insert({ point_id: pointId(node, point), version: 1 })
        .returning('id')) as { id: number }[];
      const stored = {
        ...rule,
        confirm: points.find((one) => one.node === node && one.name === point)?.body.confirm ?? 'readings',
        output: output === null ? null : pointId(node, output),
        consequences: usualConsequences({ output: output === null ? null : 0, tells: rule.tells }),
        act: 'on',
        words: null,
        route: null,
        clearLevel: clearLevelOf(rule.side, rule.setpoint, rule.deadband),
      };
      await trx('threshold_version').insert({ threshold_id: row?.id, version: 1, rule: JSON.stringify(stored), made_by: 'maker' });
    }
  });
  if (scenario.drawn) await savePlan(database, 0, scenario.drawn, 'millwright');
  if (scenario.addressing) await giveAddresses(database, scenario.addressing, scenario.drawn);
  const trustedKeys = ((await database('trusted_key').select('public_key')) as { public_key: string }[]).map((row) => row.public_key);
  const bodies = new Map((await currentSheets(database)).map((sheet) => [sheet.name, sheet.body]));
  return scenario.nodes.map(({ id, room, sheet, gateway }) => {
    const body = bodies.get(sheet);
    if (!body) throw new Error(`the scenario names the sheet ${sheet}, which does not exist`);
    return nodeConfigurationSchema.parse({
      revision: 1,
      node: id,
      key: keys.get(id),
      room,
      sheet,
      broker,
      networks: scenario.networks,
      reportSeconds: body.reportSeconds,
      points: body.points
        .filter((point) => point.kind !== 'derived')
        .map((point) => ({ name: point.name, unit: point.raw?.unit ?? point.unit })),
      outputs: outputsOf(body.points),
      trustedKeys,
      accessPoint: scenario.nodes.some((other) => other.gateway === id) ? { ...accessPointOf(vault, id), port: config.leafPort } : null,
      ...(gateway !== undefined && leafParts(vault, { gateway, burst: USUAL_BURST }, config)),
    });
  });
}

/** As somebody kept it then, before anything was recorded. Throws in words where it cannot be fitted. */
async function keepCalibration(trx: Transaction, point: number, kept: Scenario['calibrations'][number]): Promise<void> {
  const fitted = fitCalibration(kept.method, kept.captures, { step: kept.method === 'offset' ? 0.1 : 1 });
  if (typeof fitted === 'string') throw new Error(`a calibration of the scenario cannot be fitted: ${fitted}`);
  const at = new Date(Date.now() - kept.daysAgo * DAY_MS);
  const withdrawn = kept.withdrawnDaysAgo === null ? null : new Date(Date.now() - kept.withdrawnDaysAgo * DAY_MS);
  await trx('calibration').insert({
    point_id: point,
    version: 1,
    method: kept.method,
    captures: JSON.stringify(kept.captures),
    gain: fitted.coefficients.gain,
    value_offset: fitted.coefficients.offset,
    uncertainty: fitted.uncertainty,
    valid_from: at,
    due_at: new Date(at.getTime() + kept.dueDays * DAY_MS),
    inherited_from: kept.inherited,
    withdrawn_at: withdrawn,
    withdrawn_by: withdrawn && 'millwright',
    note: kept.note,
    made_by: 'millwright',
    made_at: at,
    settled: true,
  });
}

/** Sets the subnets, and gives every node the next free address of its own subnet. */
async function giveAddresses(database: Database, addressing: Addressing, plan: SitePlan | null): Promise<void> {
  await database('addressing')
    .insert({ body: JSON.stringify(addressing), made_by: 'millwright' })
    .onConflict('one')
    .merge();
  const via = new Map((plan?.nodes ?? []).map((placed) => [placed.node, placed.via]));
  const nodes = (await database('node').orderBy('id').select('name')) as { name: string }[];
  for (const subnet of addressing.subnets) {
    const own = nodes.filter(
      ({ name }) => (addressing.subnets.some((one) => one.id === via.get(name)) ? via.get(name) : 'site') === subnet.id,
    );
    for (const [i, address] of freeAddresses(subnet, new Map(), own.length).entries())
      await database('node')
        .where({ name: own[i]?.name ?? '' })
        .update({ address });
  }
}
