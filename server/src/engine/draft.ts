import { INITIAL_THRESHOLD_STATE, type ThresholdState } from '@dewpost/core/alarm';
import { INITIAL_QUALITY_STATE, type QualityState } from '@dewpost/core/series';

/** The newest reading of a point that is known. */
export interface Newest {
  at: number;
  value: number;
  quality: 'good' | 'suspect' | 'bad';
  reason: string | null;
}

/** What the engine carries from one batch to the next. */
export interface EngineState {
  thresholds: Map<number, ThresholdState>;
  quality: Map<number, QualityState>;
  newest: Map<number, Newest>;
  /** Time of the newest good reading of a point. */
  lastGood: Map<number, number>;
}

export const emptyEngineState = (): EngineState => ({ thresholds: new Map(), quality: new Map(), newest: new Map(), lastGood: new Map() });

/** A map laid over another: writes stay here until they are kept. */
class Layer<V> {
  readonly changed = new Map<number, V>();
  constructor(private readonly under: Map<number, V>) {}
  get(key: number): V | undefined {
    return this.changed.get(key) ?? this.under.get(key);
  }
  set(key: number, value: V): void {
    this.changed.set(key, value);
  }
  keep(): void {
    for (const [key, value] of this.changed) this.under.set(key, value);
  }
}

/** A batch's working copy of the engine's state: kept after the commit, dropped with a rollback. */
export class Draft {
  private readonly thresholds: Layer<ThresholdState>;
  private readonly qualities: Layer<QualityState>;
  readonly newest: Layer<Newest>;
  readonly lastGood: Layer<number>;

  constructor(private readonly state: EngineState) {
    this.thresholds = new Layer(state.thresholds);
    this.qualities = new Layer(state.quality);
    this.newest = new Layer(state.newest);
    this.lastGood = new Layer(state.lastGood);
  }

  threshold(id: number): ThresholdState {
    return this.thresholds.get(id) ?? INITIAL_THRESHOLD_STATE;
  }
  setThreshold(id: number, value: ThresholdState): void {
    this.thresholds.set(id, value);
  }
  quality(point: number): QualityState {
    return this.qualities.get(point) ?? INITIAL_QUALITY_STATE;
  }
  setQuality(point: number, value: QualityState): void {
    this.qualities.set(point, value);
  }

  keep(): void {
    this.thresholds.keep();
    this.qualities.keep();
    this.newest.keep();
    this.lastGood.keep();
  }

  /** The changed states as they are stored: a key and a text each. */
  changes(): { key: string; state: string }[] {
    const rows = (kind: string, changed: ReadonlyMap<number, unknown>): { key: string; state: string }[] =>
      [...changed].map(([id, state]) => ({ key: `${kind}${id}`, state: JSON.stringify(state) }));
    return [...rows('t', this.thresholds.changed), ...rows('q', this.qualities.changed)];
  }
}

/** Puts stored rows, written by `changes`, back together. */
export function parseEngineState(rows: readonly { key: string; state: string }[]): EngineState {
  const state = emptyEngineState();
  for (const { key, state: text } of rows) {
    const id = Number(key.slice(1));
    if (key.startsWith('t')) state.thresholds.set(id, JSON.parse(text) as ThresholdState);
    else state.quality.set(id, JSON.parse(text) as QualityState);
  }
  return state;
}
