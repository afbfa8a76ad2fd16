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

  get dirty(): boolean {
    return this.thresholds.changed.size + this.qualities.changed.size > 0;
  }

  keep(): void {
    this.thresholds.keep();
    this.qualities.keep();
    this.newest.keep();
    this.lastGood.keep();
  }

  /** The whole state with the draft's changes, as it is stored in the shard's row. */
  serialise(): string {
    const thresholds = Object.fromEntries(new Map([...this.state.thresholds, ...this.thresholds.changed]));
    const quality = Object.fromEntries(new Map([...this.state.quality, ...this.qualities.changed]));
    return JSON.stringify({ thresholds, quality });
  }
}

/** Reads a stored state; what was stored by `serialise`. */
export function parseEngineState(text: string): EngineState {
  const stored = JSON.parse(text) as { thresholds: Record<string, ThresholdState>; quality: Record<string, QualityState> };
  const byId = <V>(record: Record<string, V>): Map<number, V> => new Map(Object.entries(record).map(([id, value]) => [Number(id), value]));
  return { ...emptyEngineState(), thresholds: byId(stored.thresholds), quality: byId(stored.quality) };
}
