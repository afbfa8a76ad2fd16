/** Largest remaining length of a packet. Source: MQTT 3.1.1 §2.2.3. */
export const MAX_REMAINING_LENGTH = 268_435_455;

/** Remaining length as its bytes, seven bits each, low group first. Throws `RangeError` outside 0 to 268 435 455. Source: MQTT 3.1.1 §2.2.3. */
export function remainingLength(length: number): number[] {
  if (!Number.isInteger(length) || length < 0 || length > MAX_REMAINING_LENGTH) throw new RangeError(`${length} is no remaining length`);
  const bytes: number[] = [];
  let left = length;
  do {
    const low = left % 128;
    left = Math.floor(left / 128);
    bytes.push(left > 0 ? low | 0x80 : low);
  } while (left > 0);
  return bytes;
}

/** A string as MQTT carries it: two bytes of length, then UTF-8. Source: MQTT 3.1.1 §1.5.3. */
export function mqttString(text: string): number[] {
  const bytes = new TextEncoder().encode(text);
  if (bytes.length > 65_535) throw new RangeError('a string has at most 65 535 bytes');
  return [bytes.length >> 8, bytes.length & 255, ...bytes];
}

/** Bytes of a PUBLISH packet; `propertyBytes` for MQTT 5 (0 without properties), `null` for 3.1.1. Source: MQTT 3.1.1 and 5.0 §3.3. */
export function publishBytes(topicBytes: number, payloadBytes: number, qos: 0 | 1 | 2, propertyBytes: number | null): number {
  const properties = propertyBytes === null ? 0 : remainingLength(propertyBytes).length + propertyBytes;
  const rest = 2 + topicBytes + (qos > 0 ? 2 : 0) + properties + payloadBytes;
  return 1 + remainingLength(rest).length + rest;
}

/** What a CONNECT packet carries besides its ten bytes of head: lengths in bytes, `null` where there is none. */
export interface ConnectParts {
  readonly clientId: number;
  readonly user: number | null;
  readonly password: number | null;
  readonly will: { readonly topic: number; readonly payload: number } | null;
}

/** Bytes of a CONNECT packet of MQTT 3.1.1. Source: MQTT 3.1.1 §3.1. */
export function connectPacketBytes({ clientId, user, password, will }: ConnectParts): number {
  const field = (length: number | null): number => (length === null ? 0 : 2 + length);
  const rest = 10 + field(clientId) + (will ? field(will.topic) + field(will.payload) : 0) + field(user) + field(password);
  return 1 + remainingLength(rest).length + rest;
}

/** Characters of a node's key. */
const KEY_BYTES = 22;

/** Bytes of the CONNECT of one of our nodes: its id as client and user, its key, and its will on `dp/1/{id}/gone`. */
export const connectBytes = (node: string): number =>
  connectPacketBytes({
    clientId: node.length,
    user: node.length,
    password: KEY_BYTES,
    will: { topic: `dp/1/${node}/gone`.length, payload: 2 },
  });

/** Bytes on the wire of one application packet and the acknowledgement of its segment: IPv4 20, TCP 20 (32 with timestamps) each way. */
export function wireBytes(applicationBytes: number, tlsBytes: number, timestamps: boolean): number {
  const headers = 20 + (timestamps ? 32 : 20);
  return applicationBytes + tlsBytes + 2 * headers;
}

const levels = (text: string): string[] => text.split('/');

/** May this be a topic: 1 to 65 535 bytes, no wildcard, no nul? Source: MQTT 3.1.1 §4.7. */
export const isTopicName = (topic: string): boolean =>
  topic.length > 0 && !/[+#]/.test(topic) && !topic.includes('\u0000') && new TextEncoder().encode(topic).length <= 65_535;

/** May this be a filter: `#` last and alone in its level, `+` alone in its level? Source: MQTT 3.1.1 §4.7.1. */
export function isTopicFilter(filter: string): boolean {
  if (filter.length === 0 || filter.includes('\u0000')) return false;
  const all = levels(filter);
  return all.every((level, i) => (level.includes('#') ? level === '#' && i === all.length - 1 : !level.includes('+') || level === '+'));
}

/** Does a filter match a topic? Wildcards in front do not match what begins with `$`. Source: MQTT 3.1.1 §4.7. */
export function filterMatches(filter: string, topic: string): boolean {
  if (topic.startsWith('$') && /^[+#]/.test(filter)) return false;
  const f = levels(filter);
  const t = levels(topic);
  for (let i = 0; i < f.length; i++) {
    if (f[i] === '#') return true;
    if (i >= t.length || (f[i] !== '+' && f[i] !== t[i])) return false;
  }
  return f.length === t.length;
}
