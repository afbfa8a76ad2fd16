import type { FitReply, Point } from '@dewpost/contract';

type Need = FitReply['needs'][number];

/** A node of the round with how it stands; `null`: not known yet. */
export interface RoundNode {
  readonly id: string;
  readonly name: string;
  readonly room: string;
  readonly fit: FitReply | null;
}

const isSettled = ({ state }: Need): boolean => state === 'passed' || state === 'not-possible';
export const openNeeds = (fit: FitReply | null): readonly Need[] => fit?.needs.filter((need) => !isSettled(need)) ?? [];

/** How a node stands in few words. */
export function standing({ fit }: RoundNode): 'armed' | 'armed in part' | 'to do' | 'reading' {
  if (!fit) return 'reading';
  if (fit.fittedAt === null) return 'to do';
  return fit.needs.some(({ state }) => state === 'not-possible') ? 'armed in part' : 'armed';
}

/** The round in figures. */
export function roundFigures(nodes: readonly RoundNode[]): { passed: number; not: number; all: number; armed: number } {
  const needs = nodes.flatMap(({ fit }) => fit?.needs ?? []);
  return {
    passed: needs.filter(({ state }) => state === 'passed').length,
    not: needs.filter(({ state }) => state === 'not-possible').length,
    all: needs.length,
    armed: nodes.filter(({ fit }) => fit !== null && fit.fittedAt !== null).length,
  };
}

/** A figure that one hand instrument gives for several nodes of one room: typed once. */
export interface SharedReading {
  readonly key: string;
  readonly label: string;
  readonly unit: string;
  readonly room: string;
  readonly of: readonly { readonly node: string; readonly point: string; readonly tolerance: number }[];
}

/** Readings that several nodes of the round ask for alike: the same words and unit, in the same room. */
export function sharedReadings(nodes: readonly RoundNode[], points: readonly Pick<Point, 'node' | 'name' | 'unit'>[]): SharedReading[] {
  const shared = new Map<string, SharedReading & { of: SharedReading['of'][number][] }>();
  for (const { id, room, fit } of nodes)
    for (const need of openNeeds(fit)) {
      if (need.kind !== 'reading' || need.point === null) continue;
      const unit = points.find((point) => point.node === id && point.name === need.point)?.unit ?? '';
      const key = `${room}\n${need.point}\n${unit}`;
      const known = shared.get(key) ?? { key, label: need.label, unit, room, of: [] };
      known.of.push({ node: id, point: need.point, tolerance: need.tolerance ?? 1 });
      shared.set(key, known);
    }
  return [...shared.values()].filter(({ of }) => of.length > 1);
}

/** One field of the round's staff: a check of a node, drawn in its place. */
export interface RoundField {
  readonly x: number;
  readonly width: number;
  readonly state: Need['state'];
}

const PIECE_GAP = 12;

/** The round as a broken staff `width` px wide: a piece a node, a field a check. */
export function roundStaff(nodes: readonly RoundNode[], width: number): { fields: RoundField[]; middles: number[] } {
  const counts = nodes.map(({ fit }) => Math.max(1, fit?.needs.length ?? 1));
  const all = counts.reduce((sum, count) => sum + count, 0);
  const each = Math.max(2, (width - PIECE_GAP * Math.max(0, nodes.length - 1)) / Math.max(1, all));
  const fields: RoundField[] = [];
  const middles: number[] = [];
  let x = 0;
  nodes.forEach(({ fit }, i) => {
    const count = counts[i] ?? 1;
    middles.push(x + (count * each) / 2);
    for (let n = 0; n < count; n++) fields.push({ x: x + n * each, width: each, state: fit?.needs[n]?.state ?? 'open' });
    x += count * each + PIECE_GAP;
  });
  return { fields, middles };
}
