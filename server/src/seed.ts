import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { makeVault, secretFile } from './vault/vault';
import { readConfig } from './config/config';
import { connect, migrate } from './database/connect';
import { writePast } from './demo/past';
import { writePastAlerts } from './demo/past-alerts';
import { loadScenario, readScenario } from './demo/scenario';
import { ensureDemoFirmware } from './provision/demo-firmware';
import { imageFor } from './provision/firmware';
import { currentSheets } from './nodes/make-nodes';
import { ensureFirstSheet } from './plan/climate-post';
import { Profiles, readProfiles } from './plan/profiles';

/**
 * Loads a scenario into an empty database, once: `seed <scenario.json> <flash.json>`. The second file is what the stand-in
 * boards have in their stores: their configurations with their keys, 0600.
 */
async function main(): Promise<void> {
  const [scenarioFile, flashFile] = process.argv.slice(2);
  if (!scenarioFile || !flashFile) throw new Error('usage: seed <scenario.json> <flash.json>');
  const config = readConfig(process.env);
  const database = connect(config.databaseUrl, 3, 0);
  try {
    await migrate(database);
    const [filled] = await database('account').count<{ count: number }[]>('* as count');
    if (Number(filled?.count ?? 0) > 0) {
      console.log('the demo is loaded already');
      return;
    }
    const catalogue = await new Profiles(database, readProfiles(config.catalogueDirectory)).catalogue();
    await ensureFirstSheet(database, catalogue);
    await ensureDemoFirmware(database, config.dataDirectory);
    const vault = makeVault(config.secretKey ?? secretFile(config.dataDirectory, 'secret.key'));
    const scenario = readScenario(resolve(scenarioFile));
    const written = await loadScenario(database, vault, catalogue, scenario, { host: '127.0.0.1', port: config.mqttPort }, config);
    if (scenario.past) {
      const now = Date.now();
      const readings = await writePast(database, scenario.past, now);
      console.log(`its past: ${readings} readings, ${await writePastAlerts(database, now)} alerts`);
    }
    mkdirSync(dirname(resolve(flashFile)), { recursive: true });
    // As if each had been written at the bench with the newest image for its board.
    const sheets = new Map((await currentSheets(database)).map((sheet) => [sheet.name, sheet.body.draft?.board ?? null]));
    const boards = await Promise.all(
      written.map(async (configuration) => {
        const image = await imageFor(database, sheets.get(configuration.sheet) ?? null, null);
        return {
          hardwareId: `dw-${createHash('sha256').update(configuration.node).digest('hex').slice(0, 8)}`,
          firmware: `${image.name} ${image.version}`,
          firmwareSha256: image.sha256,
          board: image.board,
          configuration,
        };
      }),
    );
    writeFileSync(resolve(flashFile), JSON.stringify({ boards }, null, 1), { mode: 0o600 });
    console.log(`loaded ${scenario.site.name}: ${written.length} nodes written, ${scenario.planned.length} planned`);
  } finally {
    await database.destroy();
  }
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
});
