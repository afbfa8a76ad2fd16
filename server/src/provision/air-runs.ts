import type { Run } from '@dewpost/contract';
import type { RolloutNode } from '@dewpost/core/update';
import type { NodeEntry } from '../model/entries';
import type { Change } from '../store/change';
import type { FirmwareRow } from './firmware';
import { addStep, endRun, readRuns } from './run-rows';

type Step = Run['steps'][number]['step'];

/** A run over the air, in this change: the node is told of an image. Ends what was open of the node; gives the run's number. */
export async function beginAir(change: Change, node: NodeEntry, image: FirmwareRow, by: string): Promise<number> {
  await stopOpen(change, node);
  const [row] = (await change
    .trx('provision_run')
    .insert({ node_id: node.id, by_whom: by, firmware: image.id, image_sha256: image.sha256, hardware_id: node.hardwareId, way: 'air' })
    .returning('id')) as { id: number }[];
  if (!row) throw new Error('a run was not written');
  await addStep(change.trx, row.id, {
    step: 'tell',
    state: 'done',
    ms: null,
    detail: `told to run ${image.name} ${image.version}`,
    code: null,
  });
  return row.id;
}

/** Ends what is open of a node: another way of writing it begins. */
export async function stopOpen(change: Change, node: NodeEntry): Promise<void> {
  await change.trx('provision_run').where({ node_id: node.id, result: 'running' }).update({ result: 'stopped', ended_at: new Date() });
}

/** What became of a run over the air, as the rollout saw it. True: there is something to tell. */
export async function airStep(change: Change, id: number, node: NodeEntry, seen: Pick<RolloutNode, 'state' | 'why'>): Promise<boolean> {
  const steps: Partial<Record<RolloutNode['state'], [step: Step, detail: string]>> = {
    starting: ['fetch', `${node.update?.safe ? `${node.update.safe}; ` : ''}image whole, digest and signature hold`],
    watched: ['start', 'runs it from its spare slot'],
    healthy: ['watch', 'back, its readings at their usual rate, no resets, supply fine'],
    back: ['start', 'runs the image before again'],
  };
  const { trx } = change;
  const [run] = await readRuns(trx, 1, [id]);
  if (!run || run.result !== 'running') return false;
  const last = run.steps.at(-1);
  const ms = last ? Date.now() - last.at : null;
  const done = steps[seen.state];
  // A quick one is seen on the new image before it was seen fetching it.
  if (seen.state === 'watched' && !run.steps.some((step) => step.step === 'fetch') && steps.starting)
    await addStep(trx, id, { step: 'fetch', state: 'done', ms, detail: steps.starting[1], code: null });
  if (done) await addStep(trx, id, { step: done[0], state: 'done', ms, detail: done[1], code: null });
  if (seen.state === 'failed') {
    const step = last?.step === 'tell' ? 'fetch' : last?.step === 'fetch' ? 'start' : 'watch';
    await addStep(trx, id, { step, state: 'failed', ms, detail: seen.why, code: 'air' });
  }
  if (seen.state === 'left-out') await addStep(trx, id, { step: 'tell', state: 'failed', ms, detail: seen.why, code: 'air' });
  const proved = seen.state === 'healthy' || seen.state === 'back';
  const stopped = seen.state === 'failed' || seen.state === 'left-out';
  if (proved || stopped) await endRun(trx, id, proved ? 'proved' : 'stopped');
  return done !== undefined || proved || stopped;
}
