import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import type { BenchStep, Run } from '@dewpost/contract';
import type { BenchRow } from './bench-side';
import { remedyFor, type Remedy } from './remedies';

/** Steps that are under way, in a word each. */
const UNDER_WAY = {
  check: 'asking',
  digest: 'proving',
  configure: 'storing',
  join: 'joining',
  contact: 'calling',
  readings: 'first values',
} as const;

/** How far a node at the bench is, in few words. `over`: what this page was at is over; `anew`: it runs and is to be written again. */
export function saysOf(
  { node, job, run }: BenchRow,
  { anew, over, waitsFor, now }: { anew: boolean; over: boolean; waitsFor: string | null; now: number },
): string {
  if (node.state === 'proved' && !job && anew) return 'to be written again';
  if (node.state === 'proved') return node.fittedAt === null ? 'proved' : 'fitted';
  if (job?.failure || (node.state === 'stopped' && over)) return 'stopped';
  if (job?.step === 'queued') return job.port !== null ? 'begins' : `waits for ${waitsFor ?? 'a port'}`;
  if (job?.hand) return `waits for your hand, ${formatDuration(now - job.hand.since)}`;
  if (job?.erasing) {
    const { since, longestMs } = job.erasing;
    return `erasing, ${formatDuration(Math.max(0, now - since))} of at most ${formatDuration(longestMs)}`;
  }
  if (job?.step === 'write') {
    const rate = job.rate === null ? '' : `, ${formatNumber(job.rate / 1000, 0)} kB/s`;
    return `${Math.round(job.written * 100)} %${rate}${job.left === null ? '' : `, ${Math.ceil(job.left)} s left`}`;
  }
  // Once the server has heard it, what is waited for are its readings.
  const contact = run?.result === 'running' ? run.steps.find((step) => step.step === 'contact' && step.state === 'done') : undefined;
  if (contact && run?.first) {
    const { have, of, nextAt } = run.first;
    return `${have} of ${of}, ${nextAt > now ? `next in ${formatDuration(nextAt - now)}` : 'the next is due'}`;
  }
  if (contact) return `first values, for ${formatDuration(now - contact.at)}`;
  if (run?.way === 'elsewhere' && run.result === 'running') return 'waits for it to join';
  if (job && job.step !== 'over') return UNDER_WAY[job.step];
  if (node.state === 'written') return 'first values';
  return run?.result === 'stopped' ? 'stopped' : 'not written';
}

/** Where a node stopped, and what helps. */
export interface Failure {
  readonly step: BenchStep | Run['steps'][number]['step'];
  readonly code: string;
  readonly evidence: string;
  readonly remedy: Remedy;
}

/** Why a node that has stopped did: what this page saw, else what the ledger says. */
export function failureOf({ job, run }: BenchRow): Failure | null {
  if (job?.failure) return { ...job.failure, remedy: remedyFor(job.failure.code, job.failure.evidence) };
  const last = run?.steps.findLast((step) => step.state === 'failed');
  return last ? { step: last.step, code: last.code ?? '', evidence: last.detail, remedy: remedyFor(last.code ?? '', last.detail) } : null;
}
