import { watch, type Point } from '@dewpost/contract';
import { usualAt, type Habit } from '@dewpost/core/alarm';
import { computed, inject, resource, type Signal } from '@angular/core';
import { Api } from '../../data/api';
import type { JudgedKind } from './judged-draft';

/** What is usual at a point, asked for once a rule judges by it; `null`: it does not, or nobody knows yet. */
export function usualOf(point: Signal<Point | null>, kind: Signal<JudgedKind>): Signal<Habit | null> {
  const api = inject(Api);
  const asked = computed(
    () => {
      const of = point();
      return kind() === 'usual' && of ? { node: of.node, point: of.name } : undefined;
    },
    { equal: (a, b) => a?.node === b?.node && a?.point === b?.point },
  );
  const habit = resource({ params: () => asked(), loader: ({ params }) => api.call(watch.habit, { params }) });
  return computed(() => (habit.hasValue() ? habit.value() : null));
}

const HOUR_MS = 3_600_000;
/** Either end of what is usual from `from` to `until` (ms), a row an hour; hours that nobody knows are left out. */
export function usualRows(habit: Habit, end: 'low' | 'high', from: number, until: number): [number, number, number][] {
  const rows: [number, number, number][] = [];
  for (let at = Math.ceil(from / HOUR_MS) * HOUR_MS; at <= until; at += HOUR_MS) {
    const usual = usualAt(habit, at);
    if (usual) rows.push([at, usual[end], 0]);
  }
  return rows;
}
