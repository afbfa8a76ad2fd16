import type { NodeMishaps } from '@dewpost/core/mishaps';
import { WAKE_POINT, WAKE_REASONS, type NodeConfiguration, type WakeReason } from '@dewpost/core/wire';
import type { Room } from './room';
import { signalValue } from './signals';
import type { SignalData } from './world';

/** Air of another reading than a sensor can have, %. */
const WILD_PERCENT = 320;

/** What a stand-in node's sensors say: the air of its room with the noise of its parts, and what else its points measure. */
export class NodeSenses {
  private frozen: { celsius: number; percent: number } | null = null;
  /** Contacts that were moved by hand. */
  private readonly byHand = new Map<string, number>();

  constructor(
    private readonly configuration: NodeConfiguration,
    private readonly parts: {
      room: Room;
      noise: { celsius: number; percent: number };
      /** What the points measure that are not of the air. */
      signals?: Readonly<Record<string, SignalData>>;
      mishaps: NodeMishaps;
      /** Points that are outputs say for themselves what they do. */
      isOutput: (point: string) => boolean;
    },
  ) {}

  /** From now on it measures again. */
  thaw(): void {
    this.frozen = null;
  }

  /** Gives whether there is such a point. */
  move(point: string, value: number): boolean {
    if (!this.configuration.points.some(({ name }) => name === point)) return false;
    this.byHand.set(point, value);
    return true;
  }

  /** What is read at `now`, ms; temperatures in °C. */
  values(now: number, woke: WakeReason): Record<string, number> {
    const { mishaps, signals = {}, isOutput } = this.parts;
    const air = this.air(now);
    const values: Record<string, number> = {
      temperature: air.celsius,
      humidity: mishaps.wild || mishaps.failed ? WILD_PERCENT : air.percent,
    };
    mishaps.wild = false;
    for (const { name, unit } of this.configuration.points) {
      if (name in values || isOutput(name)) continue;
      if (name === WAKE_POINT) {
        values[name] = WAKE_REASONS.indexOf(woke);
        continue;
      }
      // A second thermometer of a node hangs in the same room, a little apart.
      const again = /^temperature-(\d)$/.exec(name);
      const value = again
        ? round(air.celsius + 0.4 * Number(again[1]))
        : (this.byHand.get(name) ?? signalValue(signals, this.configuration.node, name, unit, now, Math.random));
      if (value !== null) values[name] = value;
    }
    return values;
  }

  private air(now: number): { celsius: number; percent: number } {
    const { room, noise: width, mishaps } = this.parts;
    const [celsius, percent] = [room.celsius(now), room.percent(now)];
    if (mishaps.stuck) this.frozen ??= { celsius: round(celsius), percent: round(percent) };
    return (
      this.frozen ?? {
        celsius: round(celsius + noise(width.celsius)),
        percent: Math.min(100, round(percent + noise(width.percent))),
      }
    );
  }
}

export const round = (value: number): number => Math.round(value * 100) / 100;
/** Between plus and minus one and a half times the width, most of it near 0. */
export const noise = (width: number): number => (Math.random() + Math.random() + Math.random() - 1.5) * width;
