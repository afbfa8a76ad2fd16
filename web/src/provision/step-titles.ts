import type { Run } from '@dewpost/contract';

/** The steps of the ledger in words: those of the bench, those beside it, those over the air. */
export const STEP_TITLES: Record<Run['steps'][number]['step'], string> = {
  check: 'Check',
  write: 'Write',
  digest: 'Prove digest',
  configure: 'Configure',
  join: 'Join',
  contact: 'First contact',
  readings: 'First readings',
  label: 'Label',
  fit: 'Fit',
  tell: 'Tell',
  fetch: 'Fetch',
  start: 'Start',
  watch: 'Watch',
};
