import type { Alert, Relay } from '@dewpost/contract';
import { INITIAL_RULE_STATE, NO_FLOOD, type Flood, type RuleState } from '@dewpost/core/alarm';
import { INITIAL_QUALITY_STATE, type QualityState } from '@dewpost/core/series';
import type { DoMessage } from '@dewpost/core/wire';
import { Layer } from '../store/layer';
import type { Demand } from './effects';
import type { Told } from './told';

/** The newest reading of a point that is known. */
export interface Newest {
  at: number;
  value: number;
  quality: 'good' | 'suspect' | 'bad';
  reason: string | null;
}

/** The last thing an output was told, and when its node answered that very command. */
export interface LastCommand {
  on: boolean;
  at: number;
  /** Since when it has been told this without an answer, within one lease. */
  since: number;
  id: string;
  answeredAt: number | null;
}

/** What the engine carries from one piece of work to the next: as of the last commit. */
export interface EngineState {
  thresholds: Map<number, RuleState>;
  quality: Map<number, QualityState>;
  newest: Map<number, Newest>;
  /** Time of the newest good reading of a point. */
  lastGood: Map<number, number>;
  /** Open alerts, by their keys. */
  alerts: Map<string, Alert>;
  /** What was told of open alerts, by their numbers. */
  told: Map<number, Told>;
  /** Demands that stand, by output. */
  demands: Map<number, readonly Demand[]>;
  /** What outputs were told last; known only to the running server. */
  commands: Map<number, LastCommand>;
  /** Commands not answered yet, by output. */
  waiting: Map<number, DoMessage>;
  relays: Map<number, Relay>;
  /** Notices told last, by rule and edge, and how many were joined since; known only to the running server. */
  noticed: Map<string, { at: number; more: number }>;
  /** How crowded alerts are that somebody is told of; known only to the running server. */
  flood: Flood;
}

export const emptyEngineState = (): EngineState => ({
  thresholds: new Map(),
  quality: new Map(),
  newest: new Map(),
  lastGood: new Map(),
  alerts: new Map(),
  told: new Map(),
  demands: new Map(),
  commands: new Map(),
  waiting: new Map(),
  relays: new Map(),
  noticed: new Map(),
  flood: NO_FLOOD,
});

/** A working copy of the engine's state: kept after the commit, dropped with a rollback. */
export class Draft {
  private readonly thresholds: Layer<number, RuleState>;
  private readonly qualities: Layer<number, QualityState>;
  readonly newest: Layer<number, Newest>;
  readonly lastGood: Layer<number, number>;
  readonly alerts: Layer<string, Alert>;
  readonly told: Layer<number, Told>;
  readonly demands: Layer<number, readonly Demand[]>;
  readonly commands: Layer<number, LastCommand>;
  readonly waiting: Layer<number, DoMessage>;
  readonly relays: Layer<number, Relay>;
  readonly noticed: Layer<string, { at: number; more: number }>;
  flood: Flood;

  constructor(private readonly state: EngineState) {
    this.thresholds = new Layer(state.thresholds);
    this.qualities = new Layer(state.quality);
    this.newest = new Layer(state.newest);
    this.lastGood = new Layer(state.lastGood);
    this.alerts = new Layer(state.alerts);
    this.told = new Layer(state.told);
    this.demands = new Layer(state.demands);
    this.commands = new Layer(state.commands);
    this.waiting = new Layer(state.waiting);
    this.relays = new Layer(state.relays);
    this.noticed = new Layer(state.noticed);
    this.flood = state.flood;
  }

  threshold(id: number): RuleState {
    return this.thresholds.get(id) ?? INITIAL_RULE_STATE;
  }
  setThreshold(id: number, value: RuleState): void {
    this.thresholds.set(id, value);
  }
  quality(point: number): QualityState {
    return this.qualities.get(point) ?? INITIAL_QUALITY_STATE;
  }
  setQuality(point: number, value: QualityState): void {
    this.qualities.set(point, value);
  }
  isOpen(key: string): boolean {
    return this.alerts.has(key);
  }

  putDemand(demand: Demand): void {
    this.demands.set(demand.output.id, [...(this.demands.get(demand.output.id) ?? []), demand]);
  }
  dropDemand(demand: Demand): void {
    const left = (this.demands.get(demand.output.id) ?? []).filter((other) => other.id !== demand.id);
    if (left.length > 0) this.demands.set(demand.output.id, left);
    else this.demands.delete(demand.output.id);
  }

  keep(): void {
    const layers: { keep(): void }[] = [
      this.thresholds,
      this.qualities,
      this.newest,
      this.lastGood,
      this.alerts,
      this.told,
      this.demands,
      this.commands,
      this.waiting,
      this.relays,
      this.noticed,
    ];
    for (const layer of layers) layer.keep();
    this.state.flood = this.flood;
  }

  /** The changed states as they are stored: a key and a text each. */
  changes(): { key: string; state: string }[] {
    const rows = (kind: string, changed: ReadonlyMap<number, unknown>): { key: string; state: string }[] =>
      [...changed].map(([id, state]) => ({ key: `${kind}${id}`, state: JSON.stringify(state) }));
    return [...rows('t', this.thresholds.changes()), ...rows('q', this.qualities.changes())];
  }
}

/** Puts stored rows, written by `changes`, back together. */
export function parseEngineState(rows: readonly { key: string; state: string }[]): Pick<EngineState, 'thresholds' | 'quality'> {
  const state = { thresholds: new Map<number, RuleState>(), quality: new Map<number, QualityState>() };
  for (const { key, state: text } of rows) {
    const id = Number(key.slice(1));
    if (key.startsWith('t')) state.thresholds.set(id, JSON.parse(text) as RuleState);
    else state.quality.set(id, JSON.parse(text) as QualityState);
  }
  return state;
}
