import { silentAfterMs } from '../model/periods';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { nodeKey, type Effect } from './effects';
import { silentAlert } from './node-alerts';

/** A node that has fallen silent, or is heard again; `effect` `null`: nothing opens or closes with it. */
export interface Silence {
  readonly node: NodeEntry;
  readonly silent: boolean;
  readonly effect: Effect | null;
}

/**
 * Nodes that have missed their reports, and those that are heard again, since the server has listened (ms). A leaf behind a silent gateway is
 * its gateway's alert: it is silent, and has none of its own.
 */
export function silencesOf(registry: Registry, alerts: ReadonlyMap<string, unknown>, now: number, listeningSince: number): Silence[] {
  const isSilent = (node: NodeEntry): boolean => {
    // What keeps its link and publishes only what changes is there, however long nothing changes.
    const there = node.kind === 'adopted' && node.connected;
    return !there && now - Math.max(node.heardAt ?? 0, listeningSince) > silentAfterMs(node);
  };
  return [...registry.nodes.values()].filter(isJudged).flatMap((node): Silence[] => {
    const silent = isSilent(node);
    const key = nodeKey('silent', node, null);
    const isOpen = alerts.has(key);
    const gateway = node.gateway === null ? undefined : registry.nodes.get(node.gateway);
    if (silent && !isOpen && gateway && isJudged(gateway) && isSilent(gateway)) return node.silent ? [] : [{ node, silent, effect: null }];
    if (silent === isOpen && silent === node.silent) return [];
    if (silent) {
      const leaves = [...registry.nodes.values()].filter((leaf) => leaf.gateway === node.name).map(({ title }) => title);
      return [{ node, silent, effect: silentAlert(key, node, leaves, now) }];
    }
    return [{ node, silent, effect: isOpen ? { kind: 'close-alert', key, at: now, why: 'heard again' } : null }];
  });
}

/** Is its silence judged: heard once, and proved? What is computed comes from others, who are silent by themselves. */
const isJudged = (node: NodeEntry): boolean => node.heardAt !== null && node.state === 'proved' && node.kind !== 'computed';
