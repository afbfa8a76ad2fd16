import { RELATIVE_TIME_LIMIT, resolveSenml } from './senml';
import { WAKE_POINT, WAKE_REASONS, wakeCode } from './wake';

/** One value as a node sent it: `at` in ms since 1970, or `null` where the node gave no time. */
export interface Sample {
  point: string;
  value: number;
  at: number | null;
}

/** One thing in a message that cannot be used, with what to do about it. */
export interface Refusal {
  point: string | null;
  why: string;
}

export interface Decoded {
  samples: Sample[];
  refusals: Refusal[];
}

/** Most records one message may carry. */
export const RECORDS_PER_MESSAGE = 1000;

/**
 * Reads the body of an `up` message: SenML JSON, or a plain object such as `{"temperature": 21.3}` with an optional
 * `time` (Unix seconds or RFC 3339) or `age` (seconds before sending, for a node whose clock is unset).
 *
 * `node` is whose message it is: a `{node}:` or `{node}/` in front of a name is taken off. `arrivedAt` (ms) turns
 * relative times into absolute ones. Times are rounded to 1 ms. Never throws, whatever the text holds.
 */
export function decodeUp(text: string, node: string, arrivedAt: number): Decoded {
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch (error) {
    return { samples: [], refusals: [{ point: null, why: `not JSON: ${error instanceof Error ? error.message : String(error)}` }] };
  }
  return decodeUpBody(body, node, arrivedAt);
}

/** As `decodeUp`, for a body that is already parsed: a form, a query, CBOR. Numbers may be texts there, and in JSON. */
export function decodeUpBody(body: unknown, node: string, arrivedAt: number): Decoded {
  if (Array.isArray(body)) {
    return body.length > RECORDS_PER_MESSAGE
      ? { samples: [], refusals: [{ point: null, why: `${body.length} records in one message; send at most ${RECORDS_PER_MESSAGE}` }] }
      : decodeSenml(body, node, arrivedAt);
  }
  if (typeof body === 'object' && body !== null) return decodePlain(body as Record<string, unknown>, arrivedAt);
  return { samples: [], refusals: [{ point: null, why: 'send a SenML array or an object of names and numbers' }] };
}

const bare = (name: string, node: string): string =>
  name.startsWith(`${node}:`) || name.startsWith(`${node}/`) ? name.slice(node.length + 1) : name;

function decodeSenml(pack: unknown[], node: string, arrivedAt: number): Decoded {
  const { records, faults } = resolveSenml(pack);
  const refusals: Refusal[] = faults.map((fault) => ({
    point: fault.name === undefined ? null : bare(fault.name, node),
    why: `record ${fault.index + 1}: ${fault.problem}`,
  }));
  const samples: Sample[] = [];
  for (const record of records) {
    const point = bare(record.n, node);
    const reason = point === WAKE_POINT ? wakeCode(record.vs) : null;
    const value = reason ?? record.v ?? (record.vb === undefined ? undefined : Number(record.vb));
    if (value === undefined) {
      refusals.push({ point, why: point === WAKE_POINT ? NO_REASON : 'not a number: text, data and sums are not stored' });
      continue;
    }
    const seconds = record.t;
    const at = seconds === undefined ? null : Math.round(seconds < RELATIVE_TIME_LIMIT ? arrivedAt + seconds * 1000 : seconds * 1000);
    if (at !== null && !isInstant(at)) {
      refusals.push({ point, why: 'its time is beyond what a clock can say' });
      continue;
    }
    samples.push({ point, value, at });
  }
  return { samples, refusals };
}

const NO_REASON = `why it woke is one of ${WAKE_REASONS.join(', ')}`;

/** The last instant that a date can hold, ms either side of 1970 (ECMA-262 §21.4.1.1). */
const LAST_INSTANT = 8.64e15;
const isInstant = (at: number): boolean => Number.isInteger(at) && Math.abs(at) <= LAST_INSTANT;

function decodePlain(body: Record<string, unknown>, arrivedAt: number): Decoded {
  const { time, age, ...rest } = body;
  const when = timeOf(time, age, arrivedAt);
  if (typeof when === 'string') return { samples: [], refusals: [{ point: null, why: when }] };
  const names = Object.keys(rest);
  if (names.length === 0) return { samples: [], refusals: [{ point: null, why: 'the object names no point' }] };
  if (names.length > RECORDS_PER_MESSAGE)
    return { samples: [], refusals: [{ point: null, why: `send at most ${RECORDS_PER_MESSAGE} values` }] };
  const samples: Sample[] = [];
  const refusals: Refusal[] = [];
  for (const point of names) {
    const value = point === WAKE_POINT && typeof rest[point] === 'string' ? (wakeCode(rest[point]) ?? NO_REASON) : numberOf(rest[point]);
    if (typeof value === 'number') samples.push({ point, value, at: when });
    else refusals.push({ point, why: value });
  }
  return { samples, refusals };
}

const NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;
const DECIMAL_COMMA = /^[+-]?\d*,\d+$/;

/** A number as it is, a yes or no as 1 or 0, a text that is a number as that number; else why it is none. */
function numberOf(raw: unknown): number | string {
  if (typeof raw === 'boolean') return Number(raw);
  if (typeof raw === 'number') return Number.isFinite(raw) ? raw : 'not a number';
  if (typeof raw !== 'string') return 'not a number';
  const text = raw.trim();
  if (DECIMAL_COMMA.test(text)) return `a decimal comma: send ${text.replace(',', '.')}`;
  const value = NUMBER.test(text) ? Number(text) : NaN;
  return Number.isFinite(value) ? value : 'not a number';
}

function timeOf(time: unknown, age: unknown, arrivedAt: number): number | null | string {
  const instant = (at: number): number | string => (isInstant(at) ? at : 'its time is beyond what a clock can say');
  const seconds = age === undefined ? null : numberOf(age);
  if (typeof seconds === 'number' && typeof age !== 'boolean' && seconds >= 0) return instant(Math.round(arrivedAt - seconds * 1000));
  if (age !== undefined) return 'age must be seconds, not negative';
  if (time === undefined) return null;
  const unix = typeof time === 'boolean' ? NaN : numberOf(time);
  if (typeof unix === 'number' && Number.isFinite(unix)) return instant(Math.round(unix * 1000));
  const parsed = typeof time === 'string' ? Date.parse(time) : NaN;
  return Number.isFinite(parsed) ? parsed : 'time must be Unix seconds or an RFC 3339 date and time';
}
