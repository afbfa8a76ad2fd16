// What the browser must fetch before the first view: the page's initial scripts, compressed.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { ratio } from './report';

const folder = 'web/dist/browser';
const page = readFileSync(join(folder, 'index.html'), 'utf8');
const wanted = new Set([...page.matchAll(/(?:src|href)="([\w-]+\.js)"/g)].map((match) => match[1] as string));
// Chunks that those import statically come with them.
for (const file of wanted)
  for (const match of readFileSync(join(folder, file), 'utf8').matchAll(/(?:from|import)"\.\/([\w-]+\.js)"/g))
    wanted.add(match[1] as string);
const kilobytes = [...wanted].reduce((sum, file) => sum + gzipSync(readFileSync(join(folder, file))).length, 0) / 1000;
ratio(
  'initial script against its budget of 350 kB',
  kilobytes,
  350,
  { atMost: 1 },
  `${kilobytes.toFixed(0)} kB compressed in ${wanted.size} files`,
);
const charts = readdirSync(folder).filter(
  (file) =>
    file.endsWith('.js') &&
    readFileSync(join(folder, file), 'utf8').includes('js-plotly-plot') &&
    readFileSync(join(folder, file)).length > 500_000,
);
if (charts.length === 0 || charts.some((file) => wanted.has(file))) {
  console.log('MISSED charts are to be a file of their own, fetched where one is shown');
  process.exitCode = 1;
} else
  console.log(
    `ok     charts are a file of their own (${charts.map((file) => `${(gzipSync(readFileSync(join(folder, file))).length / 1000).toFixed(0)} kB`).join(', ')})`,
  );
