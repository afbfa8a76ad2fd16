import { readFileSync } from 'node:fs';
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

const file = process.argv[2] ?? fileURLToPath(new URL('./check-values.json', import.meta.url));
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
process.exitCode = wrong.length > 0 ? 1 : 0;
