import { TestBed } from '@angular/core/testing';
import { provideStore, Store } from '@ngrx/store';
import { aNode, aPoint, aSnapshot, aThreshold } from '../testing/rig';
import { LiveActions } from './live.actions';
import { reducers } from './reducers';
import { selectCounts } from './selectors';

const counts = (snapshot: Parameters<typeof aSnapshot>[0]) => {
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({ providers: [provideStore(reducers)] });
  const store = TestBed.inject(Store);
  store.dispatch(LiveActions.snapshotLoaded({ snapshot: aSnapshot(snapshot) }));
  return store.selectSignal(selectCounts)();
};
const [past, ahead] = [Date.now() - 1000, Date.now() + 86_400_000];

describe('what waits at each stage', () => {
  it('Upkeep: silent nodes and proofs past their day; what was never proved, or is not due yet, is none', () => {
    const thresholds = [null, past, ahead].map((proofDueAt, i) => aThreshold({ id: i + 1, proofDueAt }));
    const nodes = [aNode(), aNode({ id: 'loft-2', silent: true })];
    expect(counts({ nodes, points: [aPoint()], thresholds }).upkeep).toBe(2);
    expect(counts({ nodes: [aNode()], points: [aPoint()], thresholds: [] }).upkeep).toBe(0);
  });
  it('Calibrate: what is not calibrated, inherited, or past its day, at nodes that are heard', () => {
    const points = [
      aPoint({ id: 1, uncalibrated: true }),
      aPoint({ id: 2, inherited: true }),
      aPoint({ id: 3, calibrationDue: past }),
      aPoint({ id: 4, calibrationDue: ahead }),
      aPoint({ id: 5 }),
    ];
    expect(counts({ nodes: [aNode()], points }).calibrate).toBe(3);
    expect(counts({ nodes: [aNode({ silent: true })], points }).calibrate).toBe(0);
  });
});
