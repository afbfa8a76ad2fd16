// npm run faults [-- name …]: provokes what goes wrong in a real house, and keeps accounts of what must not be lost. See docs/faults.md.
// DEWPOST_KILLS=10 npm run faults -- kill-server   a shorter one.
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { buildStale, ensurePackages, ensureSystem } from './lib/prepare.mjs';
import { root, run } from './lib/run.mjs';

const ALL = ['kill-server', 'kill-database', 'pause-database', 'full-disk', 'clock', 'harm', 'slow', 'editors', 'properties'];
const chosen = process.argv.slice(2).filter((name) => ALL.includes(name));

await ensurePackages();
await ensureSystem('postgresql');
await buildStale();
const failed = [];
for (const name of chosen.length > 0 ? chosen : ALL) {
  const directory = join(root, `.data/faults-${process.pid}`);
  await run(process.execPath, ['--import', 'tsx', `faults/${name}.ts`], {
    env: { ...process.env, DEWPOST_FAULTS_DIR: directory },
  }).catch(() => failed.push(name));
  rmSync(directory, { recursive: true, force: true });
}
if (failed.length > 0) console.error(`did not hold: ${failed.join(', ')}`);
process.exitCode = failed.length > 0 ? 1 : 0;
