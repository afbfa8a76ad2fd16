import { datagramBytes } from '../leaf';
import { connectBytes, publishBytes, wireBytes } from './mqtt-bytes';
import { heapMegabytesPerYear, rowsPerDay, rowsPerPage } from './storage';

/** What a node sends: how often, how many points at a time, and how long its id is. */
export interface Sender {
  readonly id: string;
  readonly reportSeconds: number;
  readonly points: number;
  /** How it is connected: always, anew at every wake, or by a gateway's own connection. Always where nothing is said. */
  readonly link?: 'standing' | 'at every wake' | 'through a gateway';
}

/** Cap of a receiving service: so many posts within any window, all nodes together, and the largest post. */
export interface ServiceCap {
  readonly posts: number;
  readonly windowSeconds: number;
  readonly bytes: number;
  /** Most points in one post. */
  readonly points: number;
}

export type Carrier = 'datagrams' | 'MQTT' | 'MQTT over TLS' | 'HTTP, a connection a post' | 'HTTP over TLS, a connection a post';

const TLS_RECORD = 22; // TLS 1.3 record over AES-GCM
/** Common practice, no source: headers of a short HTTP request and its answer, opening and closing TCP, a TLS handshake with certificates. */
const HTTP_HEADERS = 450;
const TCP_OPEN_CLOSE = 280;
const TLS_HANDSHAKE = 4000;
const KEEP_ALIVE_SECONDS = 60;
/** UDP over IPv4: RFC 768 (8 bytes) and RFC 791 (20 bytes). */
const UDP_IP = 28;

/** Bytes of one report as SenML: a base name and time once, then a name and a value a point. */
export const reportBytes = (sender: Sender): number => 30 + sender.id.length + sender.points * 32;

/** Bytes on the wire of one report and its acknowledgement, by how it travels. */
export function wireBytesOf(sender: Sender, carrier: Carrier): number {
  const body = reportBytes(sender);
  const publish = publishBytes(`dp/1/${sender.id}/up`.length, body, 1, null);
  // One that wakes connects for each report: opening, CONNECT and CONNACK, DISCONNECT.
  const connects =
    sender.link === 'at every wake'
      ? TCP_OPEN_CLOSE + wireBytes(connectBytes(sender.id), 0, true) + wireBytes(4, 0, true) + wireBytes(2, 0, true)
      : 0;
  switch (carrier) {
    case 'datagrams':
      // The answer is a datagram without a body.
      return datagramBytes(sender.id, body) + UDP_IP + datagramBytes(sender.id, 0) + UDP_IP;
    case 'MQTT':
      return connects + wireBytes(publish, 0, true) + wireBytes(4, 0, true);
    case 'MQTT over TLS':
      return connects + (connects > 0 ? TLS_HANDSHAKE : 0) + wireBytes(publish, TLS_RECORD, true) + wireBytes(4, TLS_RECORD, true);
    case 'HTTP, a connection a post':
      return body + HTTP_HEADERS + TCP_OPEN_CLOSE;
    case 'HTTP over TLS, a connection a post':
      return body + HTTP_HEADERS + TCP_OPEN_CLOSE + TLS_HANDSHAKE;
  }
}

/** Megabytes (decimal) in 30 days of all senders, keep-alives of MQTT included. */
export function megabytesPerMonth(senders: readonly Sender[], carrier: Carrier): number {
  const keepAlive = carrier === 'MQTT' ? 2 * wireBytes(2, 0, true) : carrier === 'MQTT over TLS' ? 2 * wireBytes(2, TLS_RECORD, true) : 0;
  const perDay = senders.reduce((sum, sender) => {
    const reports = (86_400 / sender.reportSeconds) * wireBytesOf(sender, carrier);
    // A report within the keep-alive is a sign of life itself; who sleeps, or speaks through a gateway, sends none.
    const stands = (sender.link ?? 'standing') === 'standing';
    const pings = stands && sender.reportSeconds > KEEP_ALIVE_SECONDS ? (86_400 / KEEP_ALIVE_SECONDS) * keepAlive : 0;
    return sum + reports + pings;
  }, 0);
  return (perDay * 30) / 1e6;
}

export interface SiteTraffic {
  readonly messagesPerMinute: number;
  readonly messagesPerDay: number;
  readonly rowsPerDay: number;
  /** Heap of a year, MB, as stored: point, time, raw, value and marks (42 bytes of data a row). */
  readonly megabytesPerYear: number;
}

/** Bytes of data in a row of readings: int, timestamp, two doubles, three smallints, an int that is null. */
const READING_BYTES = 40;

/** What all nodes together send and store. */
export function siteTraffic(senders: readonly Sender[]): SiteTraffic {
  const perMinute = senders.reduce((sum, sender) => sum + 60 / sender.reportSeconds, 0);
  return {
    messagesPerMinute: perMinute,
    messagesPerDay: perMinute * 1440,
    rowsPerDay: senders.reduce((sum, sender) => sum + rowsPerDay(sender.reportSeconds, sender.points, 1), 0),
    megabytesPerYear: senders.reduce((sum, sender) => sum + heapMegabytesPerYear(sender.reportSeconds, sender.points, 1, READING_BYTES), 0),
  };
}

/** Bytes of data in a row of a rollup: point, bucket, min, max, sum, count, first and last with their times. */
const ROLLUP_BYTES = 72;
/** Faster points than this have a level of minutes as well. */
const MINUTES_BELOW_SECONDS = 20;

/** Heap of a year, MB, where raw readings are kept for `rawDays` and rollups (minutes of fast points, quarter hours, days) for ever; and its rows. */
export function withRollups(senders: readonly Sender[], rawDays: number): { megabytesPerYear: number; rowsPerYear: number } {
  const raw = siteTraffic(senders);
  let rows = 0;
  for (const { reportSeconds, points } of senders) {
    const buckets = [86_400, 900, ...(reportSeconds < MINUTES_BELOW_SECONDS ? [60] : [])];
    // A bucket holds at least one reading: slow points fill no more buckets than they have readings.
    for (const seconds of buckets) rows += (365 * 86_400 * points) / Math.max(seconds, reportSeconds);
  }
  const share = Math.min(1, rawDays / 365);
  const rollup = (Math.ceil(rows / rowsPerPage(ROLLUP_BYTES)) * 8192) / 1e6;
  return { megabytesPerYear: raw.megabytesPerYear * share + rollup, rowsPerYear: raw.rowsPerDay * rawDays + rows };
}

/** How all nodes together stand against a service's cap: posts in its window, the largest post, and the interval that would just do. */
export function againstCap(
  senders: readonly Sender[],
  cap: ServiceCap,
): {
  posts: number;
  fits: boolean;
  largestBytes: number;
  largestFits: boolean;
  /** How many times less often all would have to report, to two decimals; `null`: more nodes than posts, so never. */
  slowestFactor: number | null;
  mostPoints: number;
  pointsFit: boolean;
} {
  const postsAt = (factor: number): number =>
    senders.reduce((sum, sender) => sum + Math.ceil(cap.windowSeconds / (sender.reportSeconds * factor) - 1e-9), 0);
  const posts = postsAt(1);
  const largestBytes = Math.max(0, ...senders.map(reportBytes));
  return {
    posts,
    fits: posts <= cap.posts,
    largestBytes,
    mostPoints: Math.max(0, ...senders.map((sender) => sender.points)),
    pointsFit: senders.every((sender) => sender.points <= cap.points),
    largestFits: largestBytes <= cap.bytes,
    slowestFactor: slowestFactor(postsAt, senders.length, cap.posts),
  };
}

/** The least factor, in hundredths, with which the posts are within the cap: tried, since posts are whole and a share of them is not enough. */
function slowestFactor(postsAt: (factor: number) => number, senders: number, most: number): number | null {
  if (senders > most) return null;
  let [low, high] = [100, 100];
  while (postsAt(high / 100) > most) high *= 2;
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    if (postsAt(middle / 100) <= most) high = middle;
    else low = middle + 1;
  }
  return low / 100;
}
