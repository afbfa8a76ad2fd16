import { judgeByHand, judgeLevel, judgeSupply, type FitNeed, type FitVerdict } from '@dewpost/core/fit';
import type { Quality } from '@dewpost/core/alarm';
import { notFound, ProblemError } from '../problem/problem';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { FitBuild } from './fit-build';

/** What somebody who stands by a node says of it. */
export type Seen =
  | { kind: 'signal'; dbm: number }
  | { kind: 'supply'; volts: number }
  | { kind: 'reading'; point: string; hand: number; tolerance: number }
  | { kind: 'output'; point: string; seen: boolean }
  | { kind: 'self-test'; point: string; seen: boolean }
  | { kind: 'not-possible'; need: string; because: string };

/** Throws 404 where the node has no such point. */
export function pointNamed(node: NodeEntry, name: string): PointEntry {
  const point = node.points.get(name);
  if (!point) throw notFound(`point ${name} of ${node.name}`);
  return point;
}

/** What is known of the node beside what was seen. */
interface Known {
  readonly build: FitBuild;
  needs(build: FitBuild): readonly FitNeed[];
  newest(point: PointEntry): { value: number; quality: Quality } | undefined;
  /** When an output was last read back, ms; 0: never. */
  readBackAt(output: PointEntry): number;
  /** When an output was last operated from here, ms; Infinity: not. */
  operatedAt(output: string): number;
}

/** The need that was looked at, and what comes of it. Throws 409 where it is not to be told by eye, or not yet. */
export function judgeSeen(node: NodeEntry, seen: Seen, known: Known): { need: string; verdict: FitVerdict; possible: boolean } {
  const judged = (need: string, verdict: FitVerdict, possible = true) => ({ need, verdict, possible });
  if (seen.kind === 'signal') {
    if (node.connected)
      throw new ProblemError(409, 'It can tell itself', `${node.name} is connected: let it tell its level for the time asked.`);
    return judged('signal', judgeLevel(seen.dbm));
  }
  if (seen.kind === 'supply') return judged('supply', judgeSupply(seen.volts, known.build.least, known.build.battery));
  if (seen.kind === 'not-possible') {
    if (!known.needs(known.build).some(({ id }) => id === seen.need)) throw notFound(`check ${seen.need} of ${node.name}`);
    return judged(seen.need, { passed: false, text: `not possible, because: ${seen.because}` }, false);
  }
  const point = pointNamed(node, seen.point);
  if (seen.kind === 'self-test')
    return judged(`self-test:${seen.point}`, {
      passed: seen.seen,
      text: seen.seen ? 'follows the hand' : 'does not follow: look at its wires and its supply',
    });
  if (seen.kind === 'output') {
    if (seen.seen && known.readBackAt(point) < known.operatedAt(seen.point))
      throw new ProblemError(409, 'Not operated', `Operate ${point.body.label.toLowerCase()} first, then say what you saw.`);
    return judged(`output:${seen.point}`, {
      passed: seen.seen,
      text: seen.seen ? 'operated, and seen to move' : 'operated and not seen to move: look at its driver, its supply and its wires',
    });
  }
  const newest = known.newest(point);
  if (!newest || newest.quality === 'bad')
    throw new ProblemError(409, 'No reading', `${point.body.label} has no good reading to compare with: wait for the next one.`);
  return judged(`reading:${seen.point}`, judgeByHand(point.body, newest.value, seen.hand, seen.tolerance));
}
