import { absoluteHumidityGramsPerCubicMetre } from '@dewpost/core/air';
import type { RoomData } from './world';

/**
 * The air of one room. Temperature swings slowly; moisture (g/m³) follows a first-order exchange with its surroundings,
 * towards one level at rest and a higher one while a humidifier runs: dw/dt = (w∞ − w)/τ, solved exactly between steps.
 */
export class Room {
  private moisture: number;
  private at: number;
  private readonly running = new Set<string>();

  constructor(
    private readonly data: RoomData,
    now: number,
    private readonly phase = 0,
  ) {
    this.at = now;
    this.moisture = gramsAt(this.celsius(now), data.startPercent);
  }

  /** Air temperature at a time (ms), °C. */
  celsius(now: number): number {
    const { celsius, swingCelsius, swingSeconds } = this.data;
    return celsius + swingCelsius * Math.sin((2 * Math.PI * now) / (swingSeconds * 1000) + this.phase);
  }

  /** Relative humidity at a time, %; lets the time pass. */
  percent(now: number): number {
    this.advance(now);
    return Math.min(100, (100 * this.moisture) / gramsAt(this.celsius(now), 100));
  }

  /** A humidifier of this room, by its owner's name, goes on or off. */
  humidify(owner: string, on: boolean, now: number): void {
    this.advance(now);
    if (on) this.running.add(owner);
    else this.running.delete(owner);
  }

  private advance(now: number): void {
    const seconds = Math.max(0, now - this.at) / 1000;
    const target = gramsAt(this.celsius(now), this.running.size > 0 ? this.data.humidifiedPercent : this.data.restPercent);
    this.moisture = target + (this.moisture - target) * Math.exp(-seconds / this.data.tauSeconds);
    this.at = Math.max(this.at, now);
  }
}

function gramsAt(celsius: number, percent: number): number {
  const grams = absoluteHumidityGramsPerCubicMetre(celsius, percent);
  if (grams === null) throw new RangeError(`a room of ${celsius} °C and ${percent} % cannot be simulated`);
  return grams;
}
