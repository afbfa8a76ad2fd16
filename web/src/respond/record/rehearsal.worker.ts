/// <reference lib="webworker" />
import { runRehearsal, takeRecord, type RecordAtHand, type RecordOfPoint, type RehearsalJob } from './rehearsal-jobs';

let record: RecordAtHand | null = null;
addEventListener('message', ({ data }: MessageEvent<{ record: RecordOfPoint } | { id: number; job: RehearsalJob }>) => {
  if ('record' in data) record = takeRecord(data.record);
  else if (record) postMessage({ id: data.id, answer: runRehearsal(record, data.job) });
});
