// npm run mutate                        every mutant of core/{circuit,control,power,radio}: some hours
// npm run mutate -- --share 0.2 power   those of a random fifth of the lines of a folder: the score with its spread, in minutes
// npm run mutate -- --share 0.1 server/engine   the same of a folder of the server (access, engine, intake, outbox), on a database of its own
import { readFileSync, readdirSync, rmSync } from 'node:fs';
import { join, relative } from 'node:path';
import { cluster } from './lib/cluster.mjs';
import { ensureSystem } from './lib/prepare.mjs';
import { freePort, root, run } from './lib/run.mjs';

const given = process.argv.slice(2);
const valueOf = (flag, fallback) => (given.includes(flag) ? Number(given[given.indexOf(flag) + 1]) : fallback);
const share = valueOf('--share', 1);
const seed = valueOf('--seed', 1);
const folders = given.filter((word, i) => !word.startsWith('--') && !given[i - 1]?.startsWith('--'));
const BLOCK_LINES = 8;

/** A small generator with a seed (mulberry32, public domain), so that a sample can be drawn again. */
let state = seed;
const random = () => {
  state = (state + 0x6d2b79f5) | 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
};

const sources = (folder) =>
  readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' })
    .filter((file) => file.endsWith('.ts') && !/\.spec\.ts$|\.testing\.ts$|index\.ts$/.test(file))
    .sort()
    .map((file) => relative(root, join(root, folder, file)));
const ofServer = folders.length > 0 && folders.every((name) => name.startsWith('server/'));
if (!ofServer && folders.some((name) => name.startsWith('server/')))
  throw new Error('folders of the core and of the server are changed in runs of their own');
/** What judges changes of a server folder, beside the tests in it: the specs that are about it. Others might notice more; each change takes less than a minute so. */
const JUDGES = {
  access: ['doors', 'doors-table'],
  engine: [
    'engine',
    'routes',
    'consequences',
    'lockouts',
    'shelves',
    'steady',
    'memory',
    'one-statement',
    'timetables',
    'rule-hours',
    'trip-tests',
  ],
  intake: ['intake', 'leaves', 'harm', 'computed', 'calibrate', 'memory', 'one-statement'],
  outbox: ['engine', 'ways', 'routes', 'steady', 'memory'],
};
const judges = folders.flatMap((name) => JUDGES[name.replace('server/', '')] ?? []);
const chosen = (folders.length > 0 ? folders : ['circuit', 'control', 'power', 'radio']).flatMap((name) =>
  sources(ofServer ? name.replace('server/', 'server/src/') : `core/src/${name}`),
);
const ranges = chosen.flatMap((file) => {
  if (share >= 1) return [file];
  const lines = readFileSync(join(root, file), 'utf8').split('\n').length;
  const blocks = Array.from({ length: Math.ceil(lines / BLOCK_LINES) }, (_, i) => i).filter(() => random() < share);
  return blocks.map((i) => `${file}:${i * BLOCK_LINES + 1}-${Math.min(lines, (i + 1) * BLOCK_LINES)}`);
});
const data = join(root, `.data/mutate-${process.pid}`);
if (ofServer) await ensureSystem('postgresql');
const postgres = ofServer ? cluster({ directory: join(data, 'pg'), port: await freePort(), database: 'postgres' }) : null;
const judging = ofServer ? { DEWPOST_MUTATE_SPECS: [...new Set(judges)].join(',') } : {};
const env = { ...process.env, ...judging, ...(postgres && { DEWPOST_TEST_CLUSTER: await postgres.start() }) };
// It fails below the score wanted: the figure is wanted all the same.
const below = await run(
  process.execPath,
  [
    join(root, 'node_modules/@stryker-mutator/core/bin/stryker.js'),
    'run',
    ...(ofServer ? ['stryker.server.config.json'] : []),
    '-m',
    ranges.join(','),
  ],
  { env },
).then(
  () => false,
  () => true,
);
await postgres?.destroy();
rmSync(data, { recursive: true, force: true });

const { files } = JSON.parse(readFileSync(join(root, '.cache/mutation.json'), 'utf8'));
const mutants = Object.values(files).flatMap((file) => file.mutants);
const count = (...states) => mutants.filter((mutant) => states.includes(mutant.status)).length;
const [killed, lived] = [count('Killed', 'Timeout'), count('Survived', 'NoCoverage')];
const n = killed + lived;
const score = killed / n;
// Half the width of a 95 % interval of a share that was drawn (normal approximation); nothing where all were tried.
const spread = share < 1 ? 1.96 * Math.sqrt((score * (1 - score)) / n) : 0;
console.log(`${(100 * score).toFixed(1)} % of ${n} mutants killed${share < 1 ? `, ± ${(100 * spread).toFixed(1)} for the whole` : ''}`);
process.exitCode = below ? 1 : 0;
