import { resolveSenml } from '@dewpost/core/wire';
import { stringify } from 'csv-stringify/sync';
import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import { readCborPack } from '../../intake/cbor';
import { ProblemError } from '../../problem/problem';

/** Forms of readings that are taken in beside tables, by their content type. */
export const OTHER_FORMS = ['application/x-ndjson', 'application/jsonl', 'application/senml+json', 'application/senml+cbor'] as const;

/** A pack is one text, or one item of CBOR: it is held whole. */
const LARGEST_PACK = 64 * 1024 * 1024;
const HEADS = ['node', 'point', 'time', 'value'];
const line = (cells: readonly (string | number)[]): string => stringify([[...cells]]);

/** Readings in another form as the table that we export ourselves, a line a reading; nothing of the clock is left to ask. */
export const asTable = (type: (typeof OTHER_FORMS)[number], body: Readable): Readable =>
  Readable.from(
    type === 'application/senml+json'
      ? ofPack(body, readJson)
      : type === 'application/senml+cbor'
        ? ofPack(body, readCborPack)
        : ofLines(body),
  );

/** JSON Lines: an object a line, `{node, point, time, value}`, as we export them. What cannot be read is a line cut short: counted, and told. */
async function* ofLines(body: Readable): AsyncGenerator<string> {
  yield line(HEADS);
  for await (const text of createInterface({ input: body, crlfDelay: Infinity })) {
    if (text.trim() === '') continue;
    yield line(cellsOf(text) ?? [text.slice(0, 80)]);
  }
}

function cellsOf(text: string): (string | number)[] | null {
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch {
    return null;
  }
  if (typeof read !== 'object' || read === null) return null;
  const { node, point, time, value } = read as Record<string, unknown>;
  if (typeof node !== 'string' || typeof point !== 'string') return null;
  const at = typeof time === 'number' ? isoOf(time) : time;
  if (typeof at !== 'string' || (typeof value !== 'number' && typeof value !== 'string')) return null;
  return [node, point, at, value];
}

/** A time in ms as text; `null` where it is none. */
const isoOf = (ms: number): string | null => (Math.abs(ms) <= 8.64e15 ? new Date(ms).toISOString() : null);

const readJson = (bytes: Buffer): unknown => {
  try {
    return JSON.parse(bytes.toString('utf8'));
  } catch (error) {
    throw new Error('no JSON text', { cause: error });
  }
};

/** A SenML pack (RFC 8428): names are `node:point`, times since 1970; records without a number of their own are lines cut short. */
async function* ofPack(body: Readable, read: (bytes: Buffer) => unknown): AsyncGenerator<string> {
  const chunks: Buffer[] = [];
  let bytes = 0;
  for await (const chunk of body as AsyncIterable<Buffer>) {
    bytes += chunk.length;
    if (bytes > LARGEST_PACK)
      throw new ProblemError(
        413,
        'Too large',
        'A SenML pack of at most 64 MB is taken in: split it, or send JSON Lines, which are read as they come.',
      );
    chunks.push(chunk);
  }
  let pack: unknown;
  try {
    pack = read(Buffer.concat(chunks));
  } catch (error) {
    throw new ProblemError(
      422,
      'Not a pack',
      `This is ${error instanceof Error ? error.message : String(error)}: send a SenML pack, an array of records.`,
    );
  }
  const { records, faults } = resolveSenml(pack);
  yield line(HEADS);
  for (const { n, t, v, vb } of records) {
    const [, node, point] = /^(.+)[:/]([^:/]+)$/.exec(n) ?? [];
    const value = v ?? (vb === undefined ? undefined : Number(vb));
    const at = t === undefined ? null : isoOf(Math.round(t * 1000));
    yield line(node === undefined || point === undefined || value === undefined || at === null ? [n] : [node, point, at, value]);
  }
  for (const { index, problem } of faults) yield line([`record ${index}: ${problem}`]);
}
