import type { ImportSettings } from '@dewpost/contract';
import { conversionAt, judgeRaw, rawOf } from '@dewpost/core/calibration';
import { LINE_PROBLEMS, readLine, type LineProblem, type ReadLine, type ReadingPlan } from '@dewpost/core/import';
import { parse } from 'csv-parse';
import { createReadStream } from 'node:fs';
import { uncalibrated } from '../../model/views';
import type { PointEntry } from '../../model/entries';
import type { Registry } from '../../model/registry';
import { isOurs, planOf, pointOf } from './settings';

/** A reading of a file on its way into the record. */
export interface FileReading {
  point: PointEntry;
  at: number;
  raw: number;
  value: number;
  bad: boolean;
}

/** What going through a file has found so far. */
export interface Found {
  lines: number;
  readings: number;
  bad: number;
  problems: { problem: LineProblem; words: string; count: number; line: number; text: string }[];
  found: { point: string; low: number; high: number; count: number }[];
  from: number | null;
  to: number | null;
}

export const NOTHING_FOUND: Found = { lines: 0, readings: 0, bad: 0, problems: [], found: [], from: null, to: null };

const AT_ONCE = 10_000;

/** Goes through a file once: readings in batches, what does not fit by its reason. */
export class Pass {
  readonly found: Found = structuredClone(NOTHING_FOUND);
  private readonly problems = new Map<LineProblem, Found['problems'][number]>();
  private readonly points = new Map<number, Found['found'][number]>();
  private bytesRead = 0;

  constructor(
    private readonly registry: Registry,
    private readonly file: { path: string; bytes: number; columns: readonly string[] },
    private readonly settings: ImportSettings,
    private readonly now: number,
  ) {}

  get progress(): number {
    return this.file.bytes === 0 ? 1 : Math.min(1, this.bytesRead / this.file.bytes);
  }

  /** Batches of readings, until the file ends or `signal` says so. */
  async *batches(signal: AbortSignal): AsyncGenerator<FileReading[]> {
    const source = createReadStream(this.file.path, { signal });
    const rows = source.pipe(
      parse({
        delimiter: this.settings.separator,
        bom: true,
        relax_column_count: true,
        relax_quotes: true,
        skip_empty_lines: true,
        from: 2,
      }),
    );
    source.on('error', (error) => rows.destroy(error));
    const read = this.reader();
    let batch: FileReading[] = [];
    for await (const cells of rows as AsyncIterable<string[]>) {
      this.found.lines++;
      this.bytesRead = source.bytesRead;
      const line = read(cells);
      for (const { problem, text } of line.problems) this.note(problem, text);
      if (line.at !== null) for (const { key, value } of line.values) this.take(batch, key, line.at, value);
      if (batch.length >= AT_ONCE) {
        yield batch;
        batch = [];
      }
    }
    this.bytesRead = this.file.bytes;
    if (batch.length > 0) yield batch;
  }

  /** A reading is there already: it stays. */
  present(count: number): void {
    if (count > 0) this.note('present', '', count);
    this.found.readings -= count;
  }

  /** Reads lines one after the other, as a table of columns or as we export it: a row a reading. */
  private reader(): (cells: readonly string[]) => ReadLine {
    const { columns } = this.file;
    const plan = planOf(this.registry, this.settings, columns.length, this.now);
    if (this.settings.map.length > 0 || !isOurs(columns)) {
      let previous: number | null = null;
      return (cells) => {
        const line = readLine(plan, cells, previous);
        previous = line.at ?? previous;
        return line;
      };
    }
    const [node, point, value] = ['node', 'point', 'value'].map((name) => columns.indexOf(name)) as [number, number, number];
    const plans = new Map<string, { plan: ReadingPlan; previous: number | null } | null>();
    return (cells) => {
      if (cells.length < plan.width)
        return { at: null, values: [], problems: [{ problem: 'cut-short', text: cells.join('; ').slice(0, 80) }] };
      const name = `${cells[node] ?? ''}/${cells[point] ?? ''}`;
      let own = plans.get(name);
      if (own === undefined) {
        const entry = pointOf(this.registry, name);
        own = entry ? { plan: { ...plan, columns: [{ index: value, key: entry.id }] }, previous: null } : null;
        plans.set(name, own);
      }
      if (own === null) return { at: null, values: [], problems: [{ problem: 'no-point', text: name }] };
      const line = readLine(own.plan, cells, own.previous);
      own.previous = line.at ?? own.previous;
      return line;
    };
  }

  private take(batch: FileReading[], key: number, at: number, value: number): void {
    const point = this.registry.points.get(key);
    if (!point) return;
    const { raw: scale, physicalMin, physicalMax } = point.body;
    // A file tells values in the point's unit: what its node would have sent for that follows backwards.
    const raw = rawOf(conversionAt(scale, point.calibrations, at), value);
    const bad = uncalibrated(point) ? judgeRaw(scale, raw) === 'out-of-range' : value < physicalMin || value > physicalMax;
    if (bad) this.note('out-of-range', `${point.node.name}/${point.name}: ${value}`);
    this.found.readings++;
    if (bad) this.found.bad++;
    const { found } = this;
    found.from = Math.min(found.from ?? at, at);
    found.to = Math.max(found.to ?? at, at);
    const seen = this.points.get(key);
    if (!seen && !bad) {
      const first = { point: `${point.node.name}/${point.name}`, low: value, high: value, count: 1 };
      this.points.set(key, first);
      found.found.push(first);
    } else if (seen && !bad) {
      seen.low = Math.min(seen.low, value);
      seen.high = Math.max(seen.high, value);
      seen.count++;
    }
    batch.push({ point, at, raw, value, bad });
  }

  private note(problem: LineProblem, text: string, count = 1): void {
    const seen = this.problems.get(problem);
    if (seen) {
      seen.count += count;
      return;
    }
    // The line of heads is the first.
    const first = { problem, words: LINE_PROBLEMS[problem], count, line: this.found.lines + 1, text };
    this.problems.set(problem, first);
    this.found.problems.push(first);
  }
}
