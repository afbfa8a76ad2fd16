import { createHash } from 'node:crypto';
import {
  askSchema,
  hushSchema,
  saySchema,
  showSchema,
  type HushMessage,
  type SayMessage,
  type ShowMessage,
  doSchema,
  setSchema,
  topicOf,
  type AskMessage,
  type DoMessage,
  type FitMessage,
  type HelloMessage,
  type NodeConfiguration,
  type SetMessage,
} from '@dewpost/core/wire';
import type { Battery } from './battery';
import type { NodeParts } from './node-parts';
import { noise, round } from './node-senses';

const MAINS_VOLTS = 5.05;
/** A supply sags so much while the radio sends, V. */
const SAG_VOLTS = 0.12;

/** What a node is told to do; `nonsense`: it cannot be read. */
export type Order =
  | { readonly kind: 'ask'; readonly message: AskMessage }
  | { readonly kind: 'say'; readonly message: SayMessage }
  | { readonly kind: 'show'; readonly message: ShowMessage }
  | { readonly kind: 'hush'; readonly message: HushMessage }
  | { readonly kind: 'do'; readonly message: DoMessage }
  | { readonly kind: 'set'; readonly message: SetMessage }
  | { readonly kind: 'nonsense' };

/** The order in what came on a topic of this node; `null`: none that it knows. */
export function orderOf(node: string, topic: string, text: string): Order | null {
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    return { kind: 'nonsense' };
  }
  if (topic === topicOf(node, 'set')) {
    const settings = setSchema.safeParse(body);
    return settings.success ? { kind: 'set', message: settings.data } : null;
  }
  if (topic !== topicOf(node, 'do')) return null;
  const asked = askSchema.safeParse(body);
  if (asked.success) return { kind: 'ask', message: asked.data };
  const toSay = saySchema.safeParse(body);
  if (toSay.success) return { kind: 'say', message: toSay.data };
  const toShow = showSchema.safeParse(body);
  if (toShow.success) return { kind: 'show', message: toShow.data };
  const heard = hushSchema.safeParse(body);
  if (heard.success) return { kind: 'hush', message: heard.data };
  const command = doSchema.safeParse(body);
  return command.success ? { kind: 'do', message: command.data } : null;
}

/** What it says of itself once a start; `rssiDbm`: level at which it hears its network, dBm. */
export const helloOf = (
  configuration: NodeConfiguration,
  running: { firmware: string; sha256: string },
  parts: NodeParts,
  { network, ...start }: { resetReason: string; rssiDbm: number; network: string | null },
): HelloMessage => ({
  firmware: running.firmware,
  firmwareSha256: running.sha256,
  hardwareId: parts.hardwareId,
  ...start,
  ...(network !== null && { accessPoint: accessPointOf(network) }),
  address: '127.0.0.1',
  ...(parts.battery && { batteryVolts: round(parts.battery.volts()) }),
  // Boxes that switch something have a sounder and a lamp.
  ...(configuration.outputs.length > 0 && { says: ['sound', 'light', 'text'] as const satisfies HelloMessage['says'] }),
  points: configuration.points.map((point) => point.name),
});

/** The address of the access point of a network of the stand-ins: of the range that nobody was given (IEEE 802, locally administered). */
function accessPointOf(network: string): string {
  const digest = createHash('sha256').update(network).digest('hex').slice(0, 10);
  return ['02', ...(digest.match(/../g) ?? [])].join(':');
}

/** Its level (about `level`, dBm) and its supply (V), for somebody who stands by it. */
export const fitWord = (level: number, battery: Battery | null): FitMessage => ({
  rssiDbm: Math.round(level + noise(6)),
  supplyVolts: round((battery?.volts() ?? MAINS_VOLTS) - SAG_VOLTS),
});
