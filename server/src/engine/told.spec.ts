import { NO_FLOOD } from '@dewpost/core/alarm';
import { Draft, emptyEngineState } from './draft';
import { outputReading } from './output-record';
import { NOBODY_TOLD, rowOfTold, toldOfRow, toldShifted, toldWith } from './told';
import { tellWhoIsDue } from './telling';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { quietHours } from '@dewpost/core/time';

const NOW = Date.UTC(2026, 10, 27, 12);
const MIN = 60_000;

describe('what was told of an alert', () => {
  const route = {
    courses: [
      { afterMinutes: 0, to: ['handset' as const], everyMinutes: null },
      { afterMinutes: 10, to: [4], everyMinutes: 5 },
    ],
    quiet: 'tell' as const,
    allClear: 'never' as const,
  };
  const routes = {
    plan: () => ({
      quiet: null,
      routes: { advisory: route, warning: route, critical: route },
      flood: 'sum' as const,
      news: [],
      allWell: null,
    }),
    quiet: () => quietHours('UTC', null),
  };
  const due = (told: typeof NOBODY_TOLD, now: number, change: object = {}): number[] => {
    const alert = {
      id: 7,
      severity: 'warning',
      threshold: null,
      trippedAt: NOW,
      acknowledgedAt: null,
      shelvedUntil: null,
      journal: false,
      earlier: false,
      ...change,
    };
    const state = { alerts: new Map([['t1', alert as never]]), told: new Map([[7, told]]), flood: NO_FLOOD };
    return tellWhoIsDue({} as Registry, state, routes, now).map((effect) => (effect.kind === 'tell' ? effect.telling.course : -1));
  };
  const first = toldWith(NOBODY_TOLD, { course: 0, at: NOW, to: ['handset'] });

  it('comes back from its row as it was', () => {
    expect(toldOfRow(JSON.parse(JSON.stringify(rowOfTold(first))))).toEqual(first);
  });
  it('a clock that is set by an hour, either way, neither hurries nor holds up whoever comes next', () => {
    for (const byMs of [60 * MIN, -60 * MIN]) {
      const told = toldShifted(first, byMs);
      expect(due(told, NOW + byMs + 9 * MIN)).toEqual([]);
      expect(due(told, NOW + byMs + 10 * MIN)).toEqual([1]);
      const second = toldWith(told, { course: 1, at: NOW + byMs + 10 * MIN, to: [4] });
      expect([due(second, NOW + byMs + 14 * MIN), due(second, NOW + byMs + 15 * MIN)]).toEqual([[], [1]]);
    }
  });
  it('nobody is told of what was acknowledged, is on the shelf, only switches, or happened earlier', () => {
    for (const change of [{ acknowledgedAt: NOW }, { shelvedUntil: NOW + 1 }, { journal: true }, { earlier: true }])
      expect(due(NOBODY_TOLD, NOW, change)).toEqual([]);
    expect(due(NOBODY_TOLD, NOW)).toEqual([0]);
  });
});

describe('what an output reads back', () => {
  const output = { id: 3 } as PointEntry;
  it('is a reading where it changed, dated by its node, never before the last one, nor further back than readings are taken', () => {
    const draft = new Draft(emptyEngineState());
    expect(outputReading(draft, output, false, NOW - 1e12, NOW)).toEqual({ point: output, at: NOW - 30 * 86_400_000, value: 0 });
    expect(outputReading(draft, output, false, NOW, NOW)).toBeNull();
    expect(outputReading(draft, output, true, NOW - 5000, NOW)).toMatchObject({ at: NOW - 5000, value: 1 });
    expect(outputReading(draft, output, false, NOW - 9000, NOW)).toMatchObject({ at: NOW - 4999, value: 0 });
  });
});
