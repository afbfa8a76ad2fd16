import { notFound } from '../problem/problem';
import type { NodeEntry, PointEntry } from './entries';
import type { Registry } from './registry';

/** The node of this id. Throws 404 where there is none. */
export function nodeNamed(registry: Registry, id: string): NodeEntry {
  const node = registry.nodes.get(id);
  if (!node) throw notFound(`node named ${id.slice(0, 60)}`);
  return node;
}

/** A point by its node's id and its own name. Throws 404 where there is none. */
export function pointNamed(registry: Registry, { node, point }: { readonly node: string; readonly point: string }): PointEntry {
  const found = registry.nodes.get(node)?.points.get(point);
  if (!found) throw notFound(`point ${point.slice(0, 60)} at a node ${node.slice(0, 60)}`);
  return found;
}
