import type { Relay } from '@dewpost/contract';
import type { LastCommand, Newest } from './draft';
import type { Demand } from './effects';

/** Where an output's state is looked up: the engine's state, or a draft of it. */
export interface OutputsKnown {
  relays: { get(output: number): Relay | undefined };
  demands: { get(output: number): readonly Demand[] | undefined };
  commands: { get(output: number): LastCommand | undefined };
  newest: { get(point: number): Newest | undefined };
}
