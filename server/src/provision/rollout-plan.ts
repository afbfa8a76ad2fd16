import type { NewRollout } from '@dewpost/contract';
import { stepSizes, type RolloutNode } from '@dewpost/core/update';
import { ProblemError } from '../problem/problem';
import type { NodeEntry } from '../model/entries';
import type { FirmwareRow } from './firmware';
import { leftOut, type Build, type NodeFacts } from './rollout-under-way';

const WORDS_LENGTH = 400;

/** Who of these nodes goes in which step of a rollout, and who is left out, each with its reason. Throws 422 where none is left. */
export function whoGoes(
  image: FirmwareRow,
  rule: NewRollout['rule'],
  entries: readonly NodeEntry[],
  { images, builds, now }: { images: readonly FirmwareRow[]; builds: ReadonlyMap<number, Build>; now: number },
): { facts: Map<string, NodeFacts>; going: NodeEntry[]; nodes: RolloutNode[] } {
  const facts = new Map<string, NodeFacts>();
  const problems = new Map<string, string>();
  for (const entry of entries) {
    const build = builds.get(entry.id) ?? { board: null, battery: null, sleeps: false };
    const runsNow = entry.hello?.firmwareSha256 ?? null;
    const before = images.find((one) => one.sha256 === runsNow && one.board === image.board)?.id ?? null;
    facts.set(entry.name, { entry, before, runId: null, from: null, build });
    const problem = leftOut(entry, image, build);
    if (problem) problems.set(entry.name, problem);
  }
  const going = entries.filter((entry) => !problems.has(entry.name));
  if (going.length === 0) {
    const why = [...problems].map(([node, problem]) => `${node} ${problem}`).join('; ');
    throw new ProblemError(422, 'Nobody to tell', `None of these nodes can take it: ${why.slice(0, WORDS_LENGTH)}.`);
  }
  const sizes = stepSizes(going.length, rule);
  const nodes = entries.map((entry): RolloutNode => {
    const why = problems.get(entry.name);
    const place = going.indexOf(entry);
    return {
      node: entry.name,
      step: why ? -1 : sizes.findIndex((size) => place < size),
      state: why ? 'left-out' : 'waiting',
      since: now,
      reached: false,
      bytes: 0,
      why: why ?? '',
    };
  });
  return { facts, going, nodes };
}
