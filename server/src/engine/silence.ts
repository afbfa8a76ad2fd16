import { silentAfterMs } from '../model/periods';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { nodeKey, type Effect } from './effects';
import { accessPointAlert, silentAlert } from './node-alerts';

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
  const lost = accessPointsOf(registry, (node) => missedOne(node, now, listeningSince));
  const effects = accessPointEffects(lost, alerts, now);
  const found = [...registry.nodes.values()].filter(isJudged).flatMap((node): Silence[] => {
    const silent = isSilent(node);
    const key = nodeKey('silent', node, null);
    const isOpen = alerts.has(key);
    const gateway = node.gateway === null ? undefined : registry.nodes.get(node.gateway);
    if (silent && !isOpen && gateway && isJudged(gateway) && isSilent(gateway)) return node.silent ? [] : [{ node, silent, effect: null }];
    if (silent === isOpen && silent === node.silent) return [];
    // What is lost with its access point is one alert.
    const point = lost.find(({ nodes, gone }) => gone && nodes.includes(node));
    if (silent && !isOpen && point) return node.silent && !effects.has(point) ? [] : [{ node, silent, effect: taken(effects, point) }];
    if (silent) {
      const leaves = [...registry.nodes.values()].filter((leaf) => leaf.gateway === node.name).map(({ title }) => title);
      return [{ node, silent, effect: silentAlert(key, node, leaves, now) }];
    }
    return [{ node, silent, effect: isOpen ? { kind: 'close-alert', key, at: now, why: 'heard again' } : null }];
  });
  // What is back closes with whoever carries it.
  const rest = [...effects].flatMap(([{ nodes }, effect]) => {
    const [carrier] = nodes;
    return carrier && effect.kind === 'close-alert' ? [{ node: carrier, silent: isSilent(carrier), effect }] : [];
  });
  return [...rest, ...found];
}

/** An access point with the nodes that joined it; `gone`: not one of those that would be heard by now is, and they are two at least. */
interface AccessPoint {
  readonly name: string;
  readonly nodes: readonly NodeEntry[];
  readonly missed: readonly NodeEntry[];
  readonly gone: boolean;
}

function accessPointsOf(registry: Registry, isMissed: (node: NodeEntry) => boolean): AccessPoint[] {
  const byName = new Map<string, NodeEntry[]>();
  for (const node of [...registry.nodes.values()].filter(isJudged)) {
    const name = node.hello?.accessPoint;
    if (name !== undefined && node.gateway === null) byName.set(name, [...(byName.get(name) ?? []), node]);
  }
  return [...byName].map(([name, joined]) => {
    const nodes = joined.sort((a, b) => a.id - b.id);
    const missed = nodes.filter(isMissed);
    // One that sleeps, and is not due yet, says nothing either way.
    const heard = nodes.some((node) => !missed.includes(node) && (node.connected || node.reportSeconds < SLEEPS_SECONDS));
    return { name, nodes, missed, gone: missed.length > 1 && !heard };
  });
}

/** From this interval on a node may sleep between its reports, and keeps no link. */
const SLEEPS_SECONDS = 300;

/** Without a link, and a report is overdue: nothing says that it is there. */
const missedOne = (node: NodeEntry, now: number, listeningSince: number): boolean =>
  !node.connected && now - Math.max(node.heardAt ?? 0, listeningSince) > node.reportSeconds * 1000;

function accessPointEffects(points: readonly AccessPoint[], alerts: ReadonlyMap<string, unknown>, now: number): Map<AccessPoint, Effect> {
  const effects = new Map<AccessPoint, Effect>();
  for (const point of points) {
    const [carrier] = point.nodes;
    if (!carrier) continue;
    const key = nodeKey('access-point', carrier, null);
    if (point.gone && !alerts.has(key)) effects.set(point, accessPointAlert(key, carrier, point.name, point.missed, now));
    if (!point.gone && alerts.has(key)) effects.set(point, { kind: 'close-alert', key, at: now, why: 'its nodes are heard again' });
  }
  return effects;
}

/** The alert of an access point opens with the first of its nodes. */
function taken(effects: Map<AccessPoint, Effect>, point: AccessPoint): Effect | null {
  const effect = effects.get(point);
  effects.delete(point);
  return effect?.kind === 'open-alert' ? effect : null;
}

/** Is its silence judged: heard once, and proved? What is computed comes from others, who are silent by themselves. */
const isJudged = (node: NodeEntry): boolean => node.heardAt !== null && node.state === 'proved' && node.kind !== 'computed';
