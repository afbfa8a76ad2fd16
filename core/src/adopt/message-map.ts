import { readDecimal } from '../quantity';
import { pointerToken, valueAt } from './json-pointer';

/** How one value in the messages of a topic becomes a reading of a point. */
export interface MapEntry {
  readonly topic: string;
  /** JSON Pointer (RFC 6901) into the payload; `null`: the whole payload is the value. */
  readonly pointer: string | null;
  readonly point: string;
  /** value = factor · number + offset, in the point's unit. */
  readonly factor: number;
  readonly offset: number;
  /** Numbers for texts, in the point's unit: neither factor nor offset is applied to them. */
  readonly texts: Readonly<Record<string, number>>;
}

/** Deepest nesting of a payload that is read. */
export const DEEPEST = 32;
/** Most values of one payload that are shown. */
export const MOST_LEAVES = 64;

export type Payload =
  | { readonly kind: 'number'; readonly text: string; readonly value: unknown }
  | { readonly kind: 'json'; readonly text: string; readonly value: unknown }
  | { readonly kind: 'text'; readonly text: string; readonly value: unknown }
  | { readonly kind: 'unreadable'; readonly text: string; readonly why: string };

/** Reads a payload as its sender may have meant it: a number, JSON, or text; or says why it is none. Never throws. */
export function readPayload(bytes: Uint8Array): Payload {
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return { kind: 'unreadable', text: `${bytes.length} bytes`, why: 'not text: bytes that are no UTF-8' };
  }
  const trimmed = text.trim();
  if (trimmed === '') return { kind: 'unreadable', text: '', why: 'empty' };
  if (nesting(trimmed) > DEEPEST) return { kind: 'unreadable', text: trimmed, why: `nested deeper than ${DEEPEST}: it is not read` };
  try {
    const value: unknown = JSON.parse(trimmed);
    return { kind: typeof value === 'number' ? 'number' : 'json', text: trimmed, value };
  } catch {
    const number = readDecimal(trimmed);
    return typeof number === 'number' ? { kind: 'number', text: trimmed, value: number } : { kind: 'text', text: trimmed, value: trimmed };
  }
}

/** How deep brackets lie in each other, outside of strings. */
function nesting(text: string): number {
  let [depth, deepest, quoted] = [0, 0, false];
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (quoted) {
      if (c === '\\') i++;
      else if (c === '"') quoted = false;
    } else if (c === '"') quoted = true;
    else if (c === '{' || c === '[') deepest = Math.max(deepest, ++depth);
    else if (c === '}' || c === ']') depth--;
  }
  return deepest;
}

/** What one entry makes of a payload: a value in the point's unit, or why there is none. Never throws. */
export function mapValue(entry: MapEntry, payload: Payload): { value: number } | { why: string } {
  if (payload.kind === 'unreadable') return { why: payload.why };
  const found = entry.pointer === null ? payload.value : valueAt(payload.value, entry.pointer);
  if (found === undefined) return { why: `the message has nothing at ${entry.pointer ?? ''}` };
  if (found === null) return { why: 'null: nothing was measured' };
  if (typeof found === 'object') return { why: `${entry.pointer ?? 'the message'} is no single value: point further into it` };
  const word = String(found as string | number | boolean).trim();
  if (Object.hasOwn(entry.texts, word)) return { value: entry.texts[word] ?? 0 };
  const number = typeof found === 'boolean' ? Number(found) : typeof found === 'number' ? found : numberIn(word);
  if (typeof number === 'string') return { why: number };
  const value = number * entry.factor + entry.offset;
  return Number.isFinite(value) ? { value } : { why: 'its number with factor and offset is beyond what can be held' };
}

function numberIn(word: string): number | string {
  const number = readDecimal(word);
  if (number === 'comma') return `a decimal comma (${word}): give it as a text with its number`;
  return number ?? `“${word.slice(0, 40)}” has no number: say which it is`;
}

export interface MappedMessage {
  /** By point, in its unit. */
  readonly values: Readonly<Record<string, number>>;
  readonly refusals: readonly { readonly point: string; readonly why: string }[];
}

/** What a message on a topic says of each point that is mapped to it. `entries`: of this topic. */
export function mapMessage(entries: readonly MapEntry[], payload: Payload): MappedMessage {
  const values: Record<string, number> = {};
  const refusals: { point: string; why: string }[] = [];
  for (const entry of entries) {
    const mapped = mapValue(entry, payload);
    if ('value' in mapped) values[entry.point] = mapped.value;
    else refusals.push({ point: entry.point, why: mapped.why });
  }
  return { values, refusals };
}

export interface Leaf {
  /** `null`: the whole payload. */
  readonly pointer: string | null;
  readonly value: string | number | boolean | null;
}

/** Everything in a payload that could be a value, in its order, with the pointer that names it; at most `MOST_LEAVES`. */
export function leavesOf(payload: Payload): Leaf[] {
  if (payload.kind === 'unreadable') return [];
  const leaves: Leaf[] = [];
  const visit = (value: unknown, pointer: string): void => {
    if (leaves.length >= MOST_LEAVES) return;
    if (typeof value === 'object' && value !== null)
      for (const [name, inner] of Object.entries(value)) visit(inner, `${pointer}/${pointerToken(name)}`);
    else leaves.push({ pointer: pointer === '' ? null : pointer, value: value as Leaf['value'] });
  };
  visit(payload.value, '');
  return leaves;
}
