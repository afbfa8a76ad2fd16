/** Open-circuit voltage of a lithium-ion cell by state of charge: a made-up but typical curve, for the simulation only. */
const CURVE: readonly [charge: number, volts: number][] = [
  [0, 3.0],
  [0.05, 3.35],
  [0.2, 3.6],
  [0.5, 3.72],
  [0.8, 3.95],
  [1, 4.18],
];

/** The buffer cell of a node: its charge is counted down by what the node draws; each report costs a transmit burst. */
export class Battery {
  private usedMilliampHours = 0;

  constructor(
    private readonly capacityMilliampHours: number,
    private readonly idleMilliamps: number,
    startCharge = 1,
    /** Volts of the pack full and empty. */
    private readonly range: { full: number; empty: number } = { full: 4.18, empty: 3 },
  ) {
    this.usedMilliampHours = capacityMilliampHours * (1 - startCharge);
  }

  /** Time passes, with so many reports sent in it (60 mA for 0.3 s each). */
  draw(seconds: number, reports: number): void {
    this.usedMilliampHours += (seconds * this.idleMilliamps + reports * 60 * 0.3) / 3600;
  }

  /** Volts at rest. */
  volts(): number {
    const charge = Math.max(0, 1 - this.usedMilliampHours / this.capacityMilliampHours);
    const upper = CURVE.findIndex(([at]) => at >= charge);
    const [c1, v1] = CURVE[Math.max(1, upper)] ?? [1, 4.18];
    const [c0, v0] = CURVE[Math.max(0, upper - 1)] ?? [0, 3];
    const ofCell = v0 + ((v1 - v0) * (charge - c0)) / (c1 - c0);
    return this.range.empty + ((ofCell - 3) / 1.18) * (this.range.full - this.range.empty);
  }
}
