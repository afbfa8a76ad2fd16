import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { ADAPTERS, DELIBERATE } from './adapters';
import { agrees } from './agreement';

interface Entry {
  id: string;
  name: string;
  fn: string;
  inputs: Record<string, unknown>;
  expected: unknown;
  unit: string;
  tolerance: number;
  source: string;
}

const keep = process.argv.includes('--keep');
const file =
  process.argv.slice(2).find((argument) => !argument.startsWith('--')) ?? fileURLToPath(new URL('./check-values.json', import.meta.url));
/** What is known not to be covered, by number: a check that goes missing, or a new one nobody answers, must be seen to. */
const listFile = fileURLToPath(new URL('./not-covered.json', import.meta.url));
const entries = JSON.parse(readFileSync(file, 'utf8')) as Entry[];

let agree = 0;
const wrong: string[] = [];
const uncovered = new Map<string, number>();
for (const entry of entries) {
  const adapter = Object.hasOwn(DELIBERATE, entry.fn) ? undefined : ADAPTERS[entry.fn];
  if (!adapter) {
    uncovered.set(entry.fn, (uncovered.get(entry.fn) ?? 0) + 1);
    continue;
  }
  const answer = adapter(entry.inputs);
  if (agrees(answer, entry.expected, entry.tolerance)) agree++;
  else
    wrong.push(
      `${entry.id} ${entry.name} (${entry.source})\n    expected ${JSON.stringify(entry.expected)}\n    answered ${JSON.stringify(answer)}`,
    );
}

for (const line of wrong) console.log(`disagrees: ${line}`);
const left = [...uncovered.values()].reduce((sum, n) => sum + n, 0);
if (left > 0) console.log(`not covered: ${[...uncovered].map(([fn, n]) => (n > 1 ? `${fn} ×${n}` : fn)).join(', ')}`);
for (const [fn, why] of Object.entries(DELIBERATE)) if (uncovered.has(fn)) console.log(`deliberately different: ${fn}: ${why}`);
console.log(`${agree} agree, ${wrong.length} disagree, ${left} not covered`);
const now = entries.filter((entry) => uncovered.has(entry.fn)).map((entry) => entry.id);
if (keep) writeFileSync(listFile, `${JSON.stringify(now, null, 2)}\n`);
const listed = JSON.parse(readFileSync(listFile, 'utf8')) as string[];
const isNew = now.filter((id) => !listed.includes(id));
const gone = listed.filter((id) => !now.includes(id));
for (const [ids, what] of [
  [isNew, 'not covered, and not listed so'],
  [gone, 'listed as not covered, and covered or gone'],
] as const)
  if (ids.length > 0) console.log(`${what}: ${ids.join(', ')}. Look why, then: npm run check-values -- --keep`);
process.exitCode = wrong.length + isNew.length + gone.length > 0 ? 1 : 0;
