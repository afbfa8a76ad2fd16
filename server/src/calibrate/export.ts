import { scaleOf, versionAt } from '@dewpost/core/calibration';
import { stringify } from 'csv-stringify';
import type { Response } from 'express';
import { pipeline } from 'node:stream/promises';
import { cborPack } from '../intake/cbor';
import type { Database } from '../database/connect';
import { liveSpan, WORST, type LeastQuality, type Span } from '../model/history';
import type { PointEntry } from '../model/entries';

const PAGE_ROWS = 5000;

/** Which readings go out: those of trials too, and the least that they are to be. */
interface What {
  readonly trials: boolean;
  readonly least: LeastQuality;
}
const QUALITY = ['good', 'suspect', 'bad'] as const;

interface Row {
  at: Date;
  ms: number;
  raw: number;
  value: number;
  quality: number;
}

/** Readings of a point in a span, page by page: memory does not grow with the span. */
async function* pagesOf(database: Database, point: PointEntry, { from, to }: Span, least: LeastQuality): AsyncGenerator<Row[]> {
  let after: Date | null = null;
  for (;;) {
    const { rows }: { rows: Row[] } = await database.raw<{ rows: Row[] }>(
      `select at, round(extract(epoch from at) * 1000)::float8 as ms, raw, value, quality from reading
       where point_id = ? and at ${after === null ? '>=' : '>'} ? and at <= ? and quality <= ? order by at limit ${PAGE_ROWS}`,
      [point.id, after ?? new Date(from), new Date(to), WORST[least]],
    );
    if (rows.length > 0) yield rows;
    const last = rows.at(-1);
    if (!last || rows.length < PAGE_ROWS) return;
    after = last.at;
  }
}

const HEADS = ['node', 'point', 'time', 'value', 'unit', 'raw', 'quality', 'calibration'] as const;
type Cells = readonly [string, string, string, number, string, number, string, number | ''];

async function* rowsOf(database: Database, points: readonly PointEntry[], span: Span, { trials, least }: What): AsyncGenerator<Cells> {
  for (const point of points)
    for await (const page of pagesOf(database, point, trials ? span : liveSpan(span, point.node.liveSince), least))
      for (const { ms, raw, value, quality } of page)
        yield [
          point.node.name,
          point.name,
          new Date(ms).toISOString(),
          value,
          scaleOf(point.body, point.calibrations).unit,
          raw,
          QUALITY[quality] ?? 'bad',
          versionAt(point.body.raw, point.calibrations, ms)?.version ?? '',
        ];
}

async function* table(rows: AsyncIterable<Cells>): AsyncGenerator<readonly (string | number)[]> {
  yield HEADS;
  yield* rows;
}
async function* lines(rows: AsyncIterable<Cells>): AsyncGenerator<string> {
  for await (const row of rows)
    yield `${JSON.stringify(Object.fromEntries(HEADS.map((head, i) => [head, row[i] === '' ? null : row[i]])))}\n`;
}
/** Records with nothing resolved from a base, so that each can be read by itself; what is bad has no place in a pack, which has no word for it. */
async function* records(rows: AsyncIterable<Cells>): AsyncGenerator<{ n: string; t: number; v: number }> {
  for await (const [node, point, time, value, , , quality] of rows)
    if (quality !== 'bad') yield { n: `${node}:${point}`, t: Date.parse(time) / 1000, v: value };
}
async function* pack(rows: AsyncIterable<Cells>): AsyncGenerator<string> {
  let comma = '[';
  for await (const record of records(rows)) {
    yield `${comma}${JSON.stringify(record)}`;
    comma = ',\n';
  }
  yield comma === '[' ? '[]' : ']';
}

const TYPES = { csv: 'text/csv', jsonl: 'application/x-ndjson', senml: 'application/senml+json', cbor: 'application/senml+cbor' } as const;
export type ExportForm = keyof typeof TYPES;

/** Streams readings as CSV (RFC 4180), JSON Lines or SenML (RFC 8428, in JSON or CBOR), trials only where they are asked for; ends when whoever asked has gone. */
export async function streamReadings(
  database: Database,
  points: readonly PointEntry[],
  { trials, least, ...span }: Span & What,
  response: Response,
  form: ExportForm,
): Promise<void> {
  const type = TYPES[form];
  const rows = rowsOf(database, points, span, { trials, least });
  response.setHeader('Cache-Control', 'no-store');
  response.type(type).attachment(`readings.${form}`);
  // The name of the file would say otherwise.
  response.setHeader('Content-Type', type);
  try {
    if (form === 'csv') await pipeline(table(rows), stringify({ record_delimiter: 'windows' }), response);
    else await pipeline(form === 'jsonl' ? lines(rows) : form === 'cbor' ? cborPack(records(rows)) : pack(rows), response);
  } catch (error) {
    // Gone in the middle: nobody is there to be told.
    if ((error as NodeJS.ErrnoException).code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
  }
}
