import type { Surroundings } from '@dewpost/core/series';
import type { Draft } from '../engine/draft';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { uncalibrated } from '../model/views';

/** Below this share of the least that its supply must give, what a node measures is not to be trusted: its converter's own reference sags. Common practice. */
const TRUSTED_SHARE = 0.95;
/** A node's own supply, as points are called that measure it. */
const SUPPLY_POINT = /^(battery|supply)-voltage/;

/** What is known around a reading of a point: whether its node's supply is too low, and where others of its kind in its room stand. */
export function around(point: PointEntry, draft: Draft, registry: Registry): Surroundings {
  return { supplyLow: isSupplyLow(point, draft), others: () => othersOf(point, draft, registry) };
}

function isSupplyLow({ node, name }: PointEntry, draft: Draft): boolean {
  if (node.leastVolts === null || SUPPLY_POINT.test(name)) return false;
  const volts = suppliedVolts(node, draft);
  return volts !== null && volts < TRUSTED_SHARE * node.leastVolts;
}

/** The newest that a node says of its own supply, V: by a point of its own, else at its last start. */
function suppliedVolts(node: NodeEntry, draft: Draft): number | null {
  for (const { id, name, body } of node.points.values()) {
    const newest = SUPPLY_POINT.test(name) && body.unit === 'V' ? draft.newest.get(id) : undefined;
    if (newest && newest.quality !== 'bad') return newest.value;
  }
  return node.hello?.batteryVolts ?? null;
}

/** Good values of points of the same kind at other nodes of its room. */
function othersOf(point: PointEntry, draft: Draft, registry: Registry): [number, number][] {
  return [...registry.nodes.values()].flatMap((node) =>
    node === point.node || node.room !== point.node.room
      ? []
      : [...node.points.values()].flatMap((other): [number, number][] => {
          const newest = isAlike(other, point) ? draft.newest.get(other.id) : undefined;
          return newest?.quality === 'good' ? [[other.id, newest.value]] : [];
        }),
  );
}

/** Does it measure the same, in the same unit? What nothing converts is told in counts: nothing in a unit is held against those. */
const isAlike = (other: PointEntry, { body: { unit } }: PointEntry): boolean =>
  other.body.unit === unit && other.body.kind === 'measured' && other.body.spikeStep !== null && !uncalibrated(other);
