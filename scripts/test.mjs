// npm test: everything a change must pass, on a database and ports of its own.
// npm test -- core server   runs these Jest projects only (core, server, web, e2e), without the checks before them.
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { cluster } from './lib/cluster.mjs';
import { buildStale, ensurePackages, ensureSystem } from './lib/prepare.mjs';
import { freePort, root, run } from './lib/run.mjs';

const PROJECTS = ['core', 'web', 'server', 'e2e'];
const chosen = process.argv.slice(2).filter((name) => PROJECTS.includes(name));
const pattern = process.argv.slice(2).filter((name) => !PROJECTS.includes(name));
const began = Date.now();
const counts = { passed: 0, failed: 0, skipped: 0 };
const step = async (name, work) => {
  const from = Date.now();
  try {
    await work();
    counts.passed++;
    console.log(`ok: ${name} (${((Date.now() - from) / 1000).toFixed(0)} s)`);
  } catch (error) {
    counts.failed++;
    console.error(`failed: ${name}: ${error.message}`);
  }
};
const bin = (path, ...args) => run(process.execPath, [join(root, 'node_modules', path), ...args]);

await ensurePackages();
await ensureSystem('postgresql', 'chromium', 'mosquitto-clients', 'nginx', 'openssl');

if (chosen.length === 0) {
  await step('type check', async () => {
    await bin('typescript/bin/tsc', '-b', 'core', 'contract', 'server', 'standins');
    await bin('typescript/bin/tsc', '-p', 'tsconfig.test.json');
    await bin('typescript/bin/tsc', '-p', 'web/tsconfig.spec.json', '--noEmit');
  });
  await step('lint', () => bin('eslint/bin/eslint.js', '--cache', '--cache-location', '.cache/eslint', '--max-warnings', '0', '.'));
  await step('direction of imports', () =>
    bin(
      'dependency-cruiser/bin/dependency-cruise.mjs',
      '--config',
      '.dependency-cruiser.cjs',
      'core/src',
      'contract/src',
      'server/src',
      'standins/src',
      'web/src',
    ),
  );
  await step('unused packages and files', () => bin('knip/bin/knip.js'));
  await step('check values', () => run(process.execPath, ['--import', 'tsx', 'core/checks/check-values.ts']));
}
process.env.DEWPOST_BUILD_QUIET ??= '1';
await step('build', buildStale);

const data = join(root, `.data/test-${process.pid}`);
mkdirSync(data, { recursive: true });
const results = join(data, 'jest.json');
/** Runs these Jest projects and counts what came of them. */
async function jest(names, url) {
  rmSync(results, { force: true });
  await run(
    process.execPath,
    [
      join(root, 'node_modules/jest/bin/jest.js'),
      '--selectProjects',
      ...names,
      '--maxWorkers=2',
      '--json',
      `--outputFile=${results}`,
      ...pattern,
    ],
    {
      env: { ...process.env, DEWPOST_TEST_CLUSTER: url, NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --no-warnings`.trim() },
      stdio: ['ignore', 'ignore', 'inherit'],
    },
  ).catch(() => undefined);
  if (!existsSync(results)) throw new Error(`Jest gave no results for ${names.join(', ')}`);
  const outcome = JSON.parse(readFileSync(results, 'utf8'));
  counts.passed += outcome.numPassedTests;
  counts.failed += outcome.numFailedTests + outcome.numRuntimeErrorTestSuites;
  counts.skipped += outcome.numPendingTests + outcome.numTodoTests;
}

const postgres = cluster({ directory: join(data, 'pg'), port: await freePort(), database: 'postgres' });
const clean = async () => {
  await postgres.destroy().catch(() => undefined);
  rmSync(data, { recursive: true, force: true });
};
process.on('SIGINT', () => void clean().then(() => process.exit(130)));
try {
  const url = await postgres.start();
  const projects = chosen.length > 0 ? chosen : PROJECTS;
  // The browser has the machine to itself: what it waits for is a house of processes that answers in time.
  const rounds = [projects.filter((name) => name !== 'e2e'), projects.filter((name) => name === 'e2e')].filter((names) => names.length > 0);
  for (const names of rounds) await jest(names, url);
} catch (error) {
  counts.failed++;
  console.error(error.text ?? error.message);
} finally {
  await clean();
}
console.log(`in ${((Date.now() - began) / 1000).toFixed(0)} s`);
console.log(`${counts.passed} passed, ${counts.failed} failed, ${counts.skipped} skipped`);
process.exitCode = counts.failed > 0 ? 1 : 0;
