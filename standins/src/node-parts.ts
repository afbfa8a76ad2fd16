import type { AirMishap, PortMishap } from '@dewpost/core/mishaps';
import type { Backlog } from './backlog';
import type { Battery } from './battery';
import type { Networks } from './network';
import type { BootLog } from './node-joining';
import type { Room } from './room';
import type { Flash } from './updater';
import type { SignalData } from './world';

/** What a stand-in node is made of and stands among. */
export interface NodeParts {
  hardwareId: string;
  /** Profile of its board, and its two slots. */
  board: string;
  flash: Flash;
  trialMs: number;
  airMishap: () => AirMishap;
  /** What its store holds has changed. */
  keep(): void;
  room: Room;
  /** What it did not get through, in its store; in memory where nothing is said. */
  backlog?: Backlog;
  /** `null`: on the mains. */
  battery: Battery | null;
  networks: Networks;
  joinMs: number;
  noise: { celsius: number; percent: number };
  /** What the points measure that are not of the air. */
  signals?: Readonly<Record<string, SignalData>>;
  /** Level at which it hears its network, dBm, where it is not the network's own. */
  levelDbm?: number;
  /** What goes wrong when it joins, set at the port it was written at. */
  mishap?: PortMishap;
  /** How fast its waiting goes against real time. */
  patience: number;
  bootLog?: BootLog;
}
