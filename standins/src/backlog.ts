import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { dirname } from 'node:path';

/** One value as a node keeps it: name of the point, Unix seconds, value in the unit that the node sends. */
export interface KeptRecord {
  readonly n: string;
  readonly t: number;
  readonly v: number;
}

/** What the store of a small board has room for, and what the server still takes without a person's import. */
export const BACKLOG_RECORDS = 100_000;
const BACKLOG_SECONDS = 30 * 86_400;

/**
 * What a node measured and did not get through, oldest first, in its store: it outlives a power cut. The store is only added to; what was
 * sent is taken out when all of it was, so that after a cut in between some goes out twice, which the server knows by point and time.
 */
export class Backlog {
  private records: KeptRecord[];

  /** `file` `null`: in memory only. A line that a cut left unfinished is passed over. */
  constructor(private readonly file: string | null) {
    const lines = file !== null && existsSync(file) ? readFileSync(file, 'utf8').split('\n') : [];
    this.records = lines.flatMap((line) => recordOf(line) ?? []).slice(-BACKLOG_RECORDS);
  }

  get size(): number {
    return this.records.length;
  }

  /** Keeps records; what is over a month old or beyond the room there is goes, oldest first. `now` in Unix seconds. */
  add(records: readonly KeptRecord[], now: number): void {
    if (records.length === 0) return;
    const all = [...this.records, ...records].filter((record) => record.t >= now - BACKLOG_SECONDS);
    this.records = all.slice(-BACKLOG_RECORDS);
    if (this.file === null) return;
    mkdirSync(dirname(this.file), { recursive: true });
    appendFileSync(this.file, records.map((record) => `${JSON.stringify(record)}\n`).join(''));
  }

  /** The oldest so many. */
  oldest(count: number): readonly KeptRecord[] {
    return this.records.slice(0, count);
  }

  /** The oldest so many are acknowledged. */
  sent(count: number): void {
    this.records = this.records.slice(count);
    if (this.records.length === 0) this.clear();
  }

  /** Nothing of it is kept: another node is written to the board. */
  clear(): void {
    this.records = [];
    if (this.file !== null) rmSync(this.file, { force: true });
  }
}

function recordOf(line: string): KeptRecord | null {
  let said: unknown;
  try {
    said = JSON.parse(line);
  } catch {
    return null;
  }
  if (typeof said !== 'object' || said === null) return null;
  const { n, t, v } = said as Partial<Record<keyof KeptRecord, unknown>>;
  return typeof n === 'string' && typeof t === 'number' && typeof v === 'number' ? { n, t, v } : null;
}
