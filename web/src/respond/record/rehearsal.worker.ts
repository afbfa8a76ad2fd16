/// <reference lib="webworker" />
import { runRehearsal, type RecordOfPoint, type RehearsalJob } from './rehearsal-jobs';

let record: RecordOfPoint | null = null;
addEventListener('message', ({ data }: MessageEvent<{ record: RecordOfPoint } | { id: number; job: RehearsalJob }>) => {
  if ('record' in data) record = data.record;
  else if (record) postMessage({ id: data.id, answer: runRehearsal(record, data.job) });
});
