import { watch, type Latest, type Point } from '@dewpost/contract';
import { settledValue } from '@dewpost/core/calibration';
import { computed, inject, resource, type Signal } from '@angular/core';
import { Api } from '../data/api';
import { linePath } from '../parts/line-path';
import { settlesWithin } from './after-fit';

/** How many of the newest raw values are looked at for having settled. */
const LOOKED_AT = 5;
const QUARTER_MS = 900_000;

/** Every reading of the last quarter of an hour of a point, raw, and whether it has settled; read again as each newer one comes. */
export function rawWatch(point: Signal<Point | null>, latest: Signal<Readonly<Record<number, Latest | undefined>>>) {
  const api = inject(Api);
  const heard = computed(() => {
    const of = point();
    return of ? { node: of.node, name: of.name, at: latest()[of.id]?.at ?? 0 } : undefined;
  });
  const recent = resource({
    params: () => heard(),
    loader: ({ params: { node, name, at } }) => {
      const from = String(Math.max(0, at - QUARTER_MS));
      return api.call(watch.history, { params: { node, point: name }, query: { from, to: String(at + 1), level: 'raw', max: 500 } });
    },
  });
  let lastSeen: readonly number[] = [];
  const raws = computed(() => {
    if (recent.hasValue()) lastSeen = (recent.value().raw ?? []).map(([raw]) => raw);
    return lastSeen;
  });
  return {
    raws,
    settled: computed(() => {
      const of = point();
      return of ? settledValue(raws(), settlesWithin(of), LOOKED_AT) : null;
    }),
    /** The newest sixty as a path over 300 by 60. */
    trace: computed(() => {
      const values = raws().slice(-60);
      const [low, high] = [Math.min(...values), Math.max(...values)];
      const y = (value: number): number => (high === low ? 30 : 55 - (50 * (value - low)) / (high - low));
      return linePath(values.map((value, i) => [(300 * i) / (values.length - 1), y(value)]));
    }),
    /** Another point: what was seen of the one before is none of it. */
    forget: (): void => {
      lastSeen = [];
    },
  };
}
