import type { Dashboard } from '@dewpost/contract';
import type { PointEntry } from './entries';
import type { Registry } from './registry';

/** Dashboards that build themselves: one a room with nodes, and one of everything. */
export function dashboardsOf(registry: Registry): Dashboard[] {
  const rooms = new Map<string, Dashboard>();
  for (const node of registry.nodes.values()) {
    const room = rooms.get(node.roomSlug) ?? { slug: node.roomSlug, name: node.room, points: [] };
    room.points.push(...[...node.points.values()].map((point) => point.id));
    rooms.set(node.roomSlug, room);
  }
  const all = [...rooms.values()];
  return all.length > 1 ? [{ slug: 'all', name: 'All rooms', points: all.flatMap((room) => room.points) }, ...all] : all;
}

/** The points of one dashboard, or `null` when there is none of this name. */
export function dashboardPoints(registry: Registry, slug: string): PointEntry[] | null {
  const dashboard = dashboardsOf(registry).find((d) => d.slug === slug);
  return dashboard ? dashboard.points.flatMap((id) => registry.points.get(id) ?? []) : null;
}
