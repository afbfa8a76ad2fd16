// A logger's file taken in until it is kept, against \\copy of the same readings into the same table; memory of the server on the way.
import { spawn } from 'node:child_process';
import { createWriteStream, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { connect } from '../server/src/database/connect';
import { ensureMonths } from '../server/src/database/partitions';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const DAY = 86_400_000;
const LINES = Number(process.env['BENCH_LINES'] ?? 1_000_000);
const rig = await openRig(1);
const url = process.env['DATABASE_URL'] ?? '';
// What is measured here takes longer than the server lets a statement run.
const database = connect(url, 3, 0);
const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const began = performance.now();
  await work();
  return performance.now() - began;
};

// A file of a logger, and the same readings by \copy into the same table for another point.
const directory = mkdtempSync(join(tmpdir(), 'dewpost-bench-'));
const csv = join(directory, 'logger.csv');
const other = rig.nodes[0]?.points['humidity'] ?? 0;
const begin = Date.UTC(2020, 0, 1);
// As a logger that writes every half minute.
const spacing = 30_000;
await ensureMonths(
  database,
  Array.from({ length: 70 }, (_, i) => ({ at: begin + i * 27 * DAY })),
);
const valueOf = (i: number): string => (20 + (i % 50) / 10).toFixed(1);
const lines = function* (): Generator<string> {
  yield 'Time,Temp\n';
  for (let i = 0; i < LINES; i++) yield `${new Date(begin + i * spacing).toISOString()},${valueOf(i)}\n`;
};
await pipeline(Readable.from(lines()), createWriteStream(csv));
const rows = join(directory, 'rows.tsv');
const raws = function* (): Generator<string> {
  for (let i = 0; i < LINES; i++) yield `${other}\t${new Date(begin + i * spacing).toISOString()}\t${valueOf(i)}\t${valueOf(i)}\t0\t4\t0\n`;
};
await pipeline(Readable.from(raws()), createWriteStream(rows));
const copied = await timed(
  () =>
    new Promise<void>((done, fail) => {
      const psql = spawn('psql', [url, '-qc', `\\copy reading (point_id, at, raw, value, quality, flags, reason) from '${rows}'`], {
        stdio: ['ignore', 'inherit', 'inherit'],
      });
      psql.on('exit', (code) => (code === 0 ? done() : fail(new Error(`psql ended with ${code}`))));
    }),
);
const node = rig.nodes[0]?.id ?? '';
/** Resident memory by how far it is, MB. */
const resident: { progress: number; megabytes: number }[] = [];
const imported = await timed(async () => {
  const { id } = await rig.send(`/api/v1/imports?map=Temp:${node}/temperature`, csv);
  for (;;) {
    const { state, readings, error, progress } = (await rig.call('GET', `/api/v1/imports/${id}`)) as {
      state: string;
      readings: number;
      error: string | null;
      progress: number;
    };
    resident.push({ progress, megabytes: residentMegabytes(rig.pid) });
    if (state === 'failed') throw new Error(error ?? 'the import failed');
    if (state === 'kept') {
      if (readings !== LINES) throw new Error(`${readings} of ${LINES} readings were kept`);
      return;
    }
    await new Promise((done) => setTimeout(done, 100));
  }
});
const megabytes = statSync(csv).size / 1e6;
rmSync(directory, { recursive: true });
await database.destroy();
await rig.stop();

const between = (from: number, to: number): number =>
  percentile(
    resident.filter(({ progress }) => progress >= from && progress < to).map(({ megabytes: each }) => each),
    0.9,
  );
console.log(machine());
ratio(
  'import against \\copy of the same readings',
  LINES / imported,
  LINES / copied,
  { atLeast: 1 / 3 },
  `${Math.round((LINES / imported) * 1000)} readings/s against ${Math.round((LINES / copied) * 1000)} rows/s, ${LINES} lines of ${megabytes.toFixed(0)} MB`,
);

ratio(
  'resident memory at the end of the file against its second fifth',
  between(0.8, 1.1),
  between(0.2, 0.4),
  { atMost: 1.25 },
  `${between(0.8, 1.1)} MB against ${between(0.2, 0.4)} MB, at most ${Math.max(...resident.map(({ megabytes: each }) => each))} MB`,
);

function residentMegabytes(pid: number): number {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8');
  return Math.round(Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024);
}
