/// <reference lib="webworker" />
import { runResponse, takeAnswer, type AnsweredRecord, type ResponseJob } from './response-jobs';

let record: ReturnType<typeof takeAnswer> | null = null;
addEventListener('message', ({ data }: MessageEvent<{ record: AnsweredRecord } | { id: number; job: ResponseJob }>) => {
  if ('record' in data) record = takeAnswer(data.record);
  else if (record) postMessage({ id: data.id, answer: runResponse(record, data.job) });
});
