import type { BenchStep } from '@dewpost/contract';
import type { Boot } from '@dewpost/core/rom-loader';
import type { SerialLog } from '@dewpost/core/serial';

/** What lies in the flash of a board that was written whole, by its manifest. */
export interface FlashLayout {
  readonly bytes: number;
  readonly parts: readonly { readonly file: string; readonly at: number; readonly bytes: number }[];
  readonly configuration: { readonly at: number; readonly bytes: number } | null;
}

/** One node on the bench. Steps seen by the server (contact, readings) are in the run, in the store. */
export interface Job {
  node: string;
  port: number | null;
  /** Its gateway, which is written before it; `null`: it has none. */
  after: string | null;
  run: number | null;
  step: BenchStep | 'queued' | 'over';
  /** Share of the image written, 0…1; its rate, bytes a second, once there is one; and seconds left. */
  written: number;
  rate: number | null;
  left: number | null;
  /** Until when the board takes settings (a gateway does in its first minutes only), ms; `null`: for ever. */
  windowEnds: number | null;
  /** Since when it erases, and how long that takes at most, ms; `null`: it does not. */
  erasing: { since: number; longestMs: number } | null;
  /** Since when it waits for a person to press a button, ms, and which; `null`: it does not. */
  hand: { since: number; boot: Boot } | null;
  /** Where the parts lie that go into a board fresh from the shop; `null`: it holds our loader. */
  flash: FlashLayout | null;
  log: SerialLog[];
  failure: { step: BenchStep; code: string; evidence: string } | null;
}
