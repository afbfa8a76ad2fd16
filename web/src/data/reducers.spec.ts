import type { Latest } from '@dewpost/contract';
import { aPoint, aThreshold } from '../testing/rig';
import { LiveActions } from './live.actions';
import { alertsFeature, latestFeature, nextLatest, pointsFeature, thresholdsFeature } from './reducers';

const reading = (at: number, value: number, quality: Latest['quality'] = 'good') => ({ point: 7, at, value, quality, reason: null });

describe('the newest reading of a point', () => {
  it('moves on with time; a late one widens the day only; a bad one widens nothing', () => {
    const first = nextLatest(undefined, reading(100, 20));
    const second = nextLatest(first, reading(200, 22));
    expect(second).toMatchObject({ at: 200, value: 22, low: 20, high: 22, base: { at: 100, value: 20 } });
    expect(nextLatest(second, reading(150, 30))).toMatchObject({ at: 200, value: 22, high: 30 });
    expect(nextLatest(second, reading(300, 320, 'bad'))).toMatchObject({ at: 300, value: 320, quality: 'bad', high: 22 });
  });
});

describe('events of the live stream', () => {
  it('readings of one frame are taken in order, thresholds come and go', () => {
    const state = latestFeature.reducer(
      undefined,
      LiveActions.eventsArrived({
        events: [
          {
            type: 'readings',
            readings: [
              [7, 100, 20, 'good', null],
              [7, 200, 21, 'good', null],
              [8, 100, 1, 'good', null],
            ],
          },
        ],
      }),
    );
    expect(state.entities[7]).toMatchObject({ at: 200, value: 21, low: 20 });
    const threshold = aThreshold({ id: 3, point: 7 });
    const armed = thresholdsFeature.reducer(undefined, LiveActions.eventsArrived({ events: [{ type: 'threshold', threshold }] }));
    expect(armed.ids).toEqual([3]);
    expect(thresholdsFeature.reducer(armed, LiveActions.eventsArrived({ events: [{ type: 'threshold-retired', id: 3 }] })).ids).toEqual([]);
  });
  it('what was known of a point’s values goes when it is converted otherwise: they were of another scale', () => {
    const before = latestFeature.reducer(
      undefined,
      LiveActions.eventsArrived({
        events: [
          {
            type: 'readings',
            readings: [
              [7, 100, 2210, 'good', null],
              [8, 100, 20, 'good', null],
            ],
          },
        ],
      }),
    );
    const point = aPoint({ id: 7, uncalibrated: false, unit: '%' });
    const events = [{ type: 'recalibrated' as const, point }];
    expect(latestFeature.reducer(before, LiveActions.eventsArrived({ events })).ids).toEqual([8]);
    expect(pointsFeature.reducer(undefined, LiveActions.eventsArrived({ events })).entities[7]).toEqual(point);
  });
  it('alerts stand newest first and a later state replaces the earlier', () => {
    const alert = (id: number, trippedAt: number, clearedAt: number | null) => ({
      type: 'alert' as const,
      alert: {
        id,
        kind: 'threshold' as const,
        threshold: 1,
        node: 'a',
        point: 7,
        severity: 'warning' as const,
        title: '',
        text: '',
        trippedAt,
        value: 1,
        clearedAt,
        clearedWhy: null,
        acknowledgedAt: null,
        acknowledgedBy: null,
        shelvedUntil: null,
        shelvedBy: null,
        shelvedWhy: null,
        earlier: false,
        journal: false,
        cause: null,
        remedy: null,
        returnedAt: null,
      },
    });
    const state = alertsFeature.reducer(
      undefined,
      LiveActions.eventsArrived({ events: [alert(1, 100, null), alert(2, 200, null), alert(1, 100, 250)] }),
    );
    expect(state.ids).toEqual([2, 1]);
    expect(state.entities[1]?.clearedAt).toBe(250);
  });
});
