import { formatDuration } from '@dewpost/core/quantity';
import type { DoneMessage } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { LastCommand } from './draft';
import type { Effect } from './effects';

/** How long a contact may take to move after its command was answered, ms. Common practice: tens of milliseconds, a second with bounce. */
const SETTLES_MS = 1000;

/**
 * Does this read-back show a contact that stays on after off was commanded? Only the answer to that very command does, or one that came
 * by itself after the answer and the contact's settling time; and only what is read from the contact or the load.
 */
export function readsOnAfterOff(last: LastCommand | undefined, done: DoneMessage, now: number): boolean {
  if (last === undefined || last.on || done.state !== true || (done.readBack !== 'contact' && done.readBack !== 'load')) return false;
  // Held on by a guard, it has not been switched off yet.
  if (done.result !== 'done') return false;
  if (done.id === last.id) return true;
  return done.id === null && last.answeredAt !== null && now - last.answeredAt >= SETTLES_MS;
}

/** `leaves`: names of nodes that reach the site through it. */
export function silentAlert(key: string, node: NodeEntry, leaves: readonly string[], now: number): Effect {
  const heard = node.heardAt === null ? 'never' : `${formatDuration(now - node.heardAt)} ago`;
  return {
    kind: 'open-alert',
    alert: {
      key,
      kind: 'silent',
      node,
      point: null,
      threshold: null,
      severity: 'advisory',
      title: `${node.title} is silent`,
      text: `Heard last ${heard}; it reports every ${formatDuration(node.reportSeconds * 1000)}. Its points are unknown and its outputs go off by themselves. ${leaves.length > 0 ? `With it, unheard: ${leaves.join(', ')}. ` : ''}Look at its supply, then at the network.`,
      trippedAt: now,
      value: null,
      earlier: false,
    },
  };
}

/** Every node of one access point is silent. It stands at the first of them. */
export function accessPointAlert(key: string, carrier: NodeEntry, name: string, nodes: readonly NodeEntry[], now: number): Effect {
  const listed = nodes.slice(0, NAMED).map(({ title }) => title);
  const more = nodes.length > NAMED ? ` and ${nodes.length - NAMED} more` : '';
  return {
    kind: 'open-alert',
    alert: {
      ...{ key, kind: 'access-point', node: carrier, point: null, threshold: null, severity: 'warning' },
      title: `Access point gone: ${nodes.length} nodes are silent`,
      text: `All that joined ${name} are unheard: ${listed.join(', ')}${more}. Their points are unknown and their outputs go off by themselves. Look at the access point and its supply.`,
      trippedAt: now,
      value: null,
      earlier: false,
    },
  };
}
const NAMED = 12;

export function stuckAlert(key: string, node: NodeEntry, output: PointEntry, now: number): Effect {
  return {
    kind: 'open-alert',
    alert: {
      key,
      kind: 'output-stuck',
      node,
      point: output,
      threshold: null,
      severity: 'critical',
      title: `${output.body.label} reads on after off was commanded`,
      text: `The contact of ${output.body.label.toLowerCase()} at ${node.title} may be welded. Cut its supply at the fuse; do not trust the relay until it has been replaced.`,
      trippedAt: now,
      value: null,
      earlier: false,
    },
  };
}
