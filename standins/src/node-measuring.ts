import { demandedAlone, stepOwn, type OwnStates } from '@dewpost/core/control';
import { unitChange } from '@dewpost/core/quantity';
import type { NodeConfiguration, OwnThreshold, WakeReason } from '@dewpost/core/wire';
import type { Battery } from './battery';
import type { NodeMail } from './node-mail';
import type { NodeOutputs } from './node-outputs';
import { round, type NodeSenses } from './node-senses';

/** A node measures once an interval, keeps what it measured for its next word, and follows thresholds of its own while it is alone. */
export class NodeMeasuring {
  /** What each point was last, in the unit it is simulated in. */
  private readonly newest = new Map<string, number>();
  private timer: NodeJS.Timeout | null = null;
  /** Thresholds that it may follow alone, and where each stands. */
  private thresholds: readonly OwnThreshold[] = [];
  private own: OwnStates = new Map();

  constructor(
    private readonly configuration: NodeConfiguration,
    private readonly parts: { senses: NodeSenses; outputs: NodeOutputs; mail: NodeMail; battery: Battery | null; connected(): boolean },
  ) {}

  /** Measures now, and from now on by the interval in force. */
  begin(): void {
    // Told another interval it goes on; only after a start was its supply put on.
    let woke: WakeReason = this.timer ? 'timer' : 'power';
    const measure = (): void => {
      this.measure(woke);
      woke = 'timer';
    };
    measure();
    if (this.timer) clearInterval(this.timer);
    this.timer = setInterval(measure, this.configuration.reportSeconds * 1000);
  }

  end(): void {
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
  }

  /** These from now on. One that is gone, or has changed, begins from normal. */
  follow(thresholds: readonly OwnThreshold[]): void {
    const kept = thresholds.filter((one) => this.thresholds.some((before) => JSON.stringify(before) === JSON.stringify(one)));
    this.own = new Map([...this.own].filter(([id]) => kept.some((one) => one.id === id)));
    this.thresholds = thresholds;
  }

  /** What it read last of these points, for its own page. */
  shown(points: readonly { readonly name: string; readonly unit: string }[]): { point: string; value: number; unit: string }[] {
    return points.flatMap(({ name, unit }) => {
      const value = this.newest.get(name);
      return value === undefined ? [] : [{ point: name, value, unit }];
    });
  }

  /** Puts these values (by point, of time `now`, ms) into its next word. */
  keep(now: number, values: Record<string, number>): void {
    for (const [name, value] of Object.entries(values)) this.newest.set(name, value);
    const units = new Map(this.configuration.points.map((point) => [point.name, point.unit]));
    const records = Object.entries(values).flatMap(([n, v]) => {
      const unit = units.get(n);
      if (unit === undefined) return [];
      // Temperatures are simulated in °C and sent in the unit that the node was written with.
      const change = n.startsWith('temperature') ? unitChange('°C', unit) : null;
      return [{ n, t: now / 1000, v: change ? round(v * change.factor + change.offset) : v }];
    });
    this.parts.mail.add(records);
  }

  private measure(woke: WakeReason): void {
    const { senses, outputs, battery } = this.parts;
    const { reportSeconds } = this.configuration;
    const now = Date.now();
    battery?.draw(reportSeconds, 1);
    const values = senses.values(now, woke);
    for (const [point, value] of Object.entries(values))
      this.own = stepOwn(this.thresholds, this.own, { point, at: now, value }, reportSeconds);
    if (!this.parts.connected())
      outputs.goOnAlone((point) => demandedAlone(this.thresholds, this.own, point, now, reportSeconds), reportSeconds);
    for (const { point, on } of outputs.states()) values[point] = Number(on);
    this.keep(now, values);
  }
}
