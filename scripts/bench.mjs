// npm run bench [-- name]: what is measured, as ratios within one run. See docs/benchmarks.md.
import { join } from 'node:path';
import { rmSync } from 'node:fs';
import { cluster } from './lib/cluster.mjs';
import { buildStale, ensurePackages, ensureSystem } from './lib/prepare.mjs';
import { freePort, root, run } from './lib/run.mjs';

const ALL = [
  'page',
  'plan',
  'serial',
  'intake',
  'derived',
  'latency',
  'house',
  'air',
  'backlog',
  'steady',
  'adopted',
  'batch',
  'paint',
  'record',
  'import',
  'rules',
];
const chosen = process.argv.slice(2).filter((name) => ALL.includes(name));

await ensurePackages();
await ensureSystem('postgresql', 'chromium');
await buildStale();
const directory = join(root, `.data/bench-${process.pid}`);
const database = cluster({ directory: join(directory, 'pg'), port: await freePort() });
let missed = 0;
try {
  const url = await database.start();
  for (const name of chosen.length > 0 ? chosen : ALL) {
    await database.empty();
    await run(process.execPath, ['--import', 'tsx', `benchmarks/${name}.ts`], {
      env: { ...process.env, DATABASE_URL: url, DEWPOST_DATA_DIR: directory },
    }).catch(() => missed++);
  }
} finally {
  await database.destroy();
  rmSync(directory, { recursive: true, force: true });
}
process.exitCode = missed > 0 ? 1 : 0;
