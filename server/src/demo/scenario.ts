import { clearLevelOf } from '@dewpost/core/alarm';
import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import { readFileSync } from 'node:fs';
import * as z from 'zod';
import { addAccount } from '../access/accounts';
import { DEMO_ACCOUNTS } from '../access/demo-accounts';
import type { Vault } from '../access/vault';
import type { Database } from '../database/connect';
import { climatePost } from '../site/catalogue';
import { ensureRoom, makeNodes } from '../site/make-nodes';
import { outputsOf } from '../site/nodes';
import { writeYesterday, yesterdaySchema } from './history';

const seconds = z.number().nonnegative();

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
  nodes: z.array(z.object({ id: z.string(), room: z.string(), yesterday: yesterdaySchema.optional() })),
  planned: z.array(z.object({ id: z.string(), room: z.string() })),
  thresholds: z.array(
    z.object({
      node: z.string(),
      point: z.string(),
      side: z.enum(['high', 'low']),
      setpoint: z.number(),
      deadband: z.number(),
      onDelaySeconds: seconds,
      offDelaySeconds: seconds,
      severity: z.enum(['advisory', 'warning', 'critical']),
      output: z.string().nullable(),
    }),
  ),
});
export type Scenario = z.infer<typeof scenarioSchema>;

/** Reads a scenario file. Throws what is wrong with it. */
export const readScenario = (file: string | URL): Scenario => scenarioSchema.parse(JSON.parse(readFileSync(file, 'utf8')));

/**
 * Loads a scenario into an empty, migrated database and gives the configurations that its written nodes hold, as if each
 * had been written at the bench before.
 */
export async function loadScenario(
  database: Database,
  vault: Vault,
  scenario: Scenario,
  broker: { host: string; port: number },
): Promise<NodeConfiguration[]> {
  for (const account of DEMO_ACCOUNTS) await addAccount(database, account.name, account.role, account.password, true);
  const body = climatePost(scenario.timing);
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
      .insert({ slug: 'climate-post', version: 1, name: 'Climate post', body: JSON.stringify(body) })
      .onConflict(['slug', 'version'])
      .merge();
    for (const room of scenario.rooms) await ensureRoom(trx, room);
    for (const { id, room } of [...scenario.nodes, ...scenario.planned]) {
      for (const [name, key] of await makeNodes(trx, vault, { ids: [id], room, buildSheet: 'climate-post' })) keys.set(name, key);
    }
    await trx('node')
      .whereIn(
        'name',
        scenario.nodes.map((node) => node.id),
      )
      .update({ state: 'written' });
    const points = (await trx('point as p').join('node as n', 'n.id', 'p.node_id').select('p.id', 'p.name', 'n.name as node')) as {
      id: number;
      name: string;
      node: string;
    }[];
    const pointId = (node: string, name: string): number => {
      const found = points.find((point) => point.node === node && point.name === name);
      if (!found) throw new Error(`the scenario names ${node} ${name}, which does not exist`);
      return found.id;
    };
    await writeYesterday(database, trx, scenario.nodes, pointId, Date.now());
    for (const { node, point, output, ...rule } of scenario.thresholds) {
      const [row] = (await trx('threshold')
        .insert({ point_id: pointId(node, point), version: 1 })
        .returning('id')) as { id: number }[];
      const stored = {
        ...rule,
        confirm: 'readings',
        output: output === null ? null : pointId(node, output),
        clearLevel: clearLevelOf(rule.side, rule.setpoint, rule.deadband),
      };
      await trx('threshold_version').insert({ threshold_id: row?.id, version: 1, rule: JSON.stringify(stored), made_by: 'maker' });
    }
  });
  return scenario.nodes.map(({ id, room }) =>
    nodeConfigurationSchema.parse({
      revision: 1,
      node: id,
      key: keys.get(id),
      room,
      sheet: 'Climate post',
      broker,
      networks: scenario.networks,
      reportSeconds: scenario.timing.reportSeconds,
      points: body.points.filter((point) => point.kind !== 'derived').map((point) => ({ name: point.name, unit: point.unit })),
      outputs: outputsOf(body.points),
    }),
  );
}
