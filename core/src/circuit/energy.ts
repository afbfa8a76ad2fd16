import { averageMilliamps, batteryDays, type ChargeState } from '../power';
import type { SheetDraft } from './draft';
import type { BoardProfile, Catalogue, SupplyProfile } from './profile';

/** Where the charge of one reporting interval goes. */
export interface EnergyShare {
  readonly state: string;
  readonly milliampSeconds: number;
  readonly share: number;
}

export interface Energy {
  readonly averageMilliamps: number;
  readonly shares: readonly EnergyShare[];
  /** Days on the battery: the middle and the range that nine of ten draws of the uncertain inputs fall in; `null` on the mains. */
  readonly days: { readonly likely: number; readonly low: number; readonly high: number } | null;
  /** Days survived with the network down, joining backing off from 10 s attempts to one in 6 h. */
  readonly daysNetworkDown: number | null;
}

/** What the wake circuits draw while they wait: 35 nA as in the datasheet cited in timer-resistor.ts; a contact pulse circuit less than 0.5 µA (common practice). */
const WAKE_CIRCUIT_MICROAMPS = { 'nanopower timer': 0.035, 'contact pulse': 0.5 };
const SEND_SECONDS = 0.3;
/** For the broker's answer, awake with the radio on. Common practice. */
const ANSWER_SECONDS = 0.25;
const HELD_HOURS = 2;
const ATTEMPT_SECONDS = 10;
const BACK_OFF_SECONDS = 6 * 3600;

/**
 * Charge of one interval from its states: start, warm-up and measuring, joining, sending, sleeping. On the mains the board stays awake.
 * `random` (0…1) drives the draws; the same source gives the same answer. Uncertainties are common practice: currents ±15 %, times
 * −30…+60 % (joining is what varies), capacity −20…+5 %.
 */
export function energyOf(draft: SheetDraft, catalogue: Catalogue, random: () => number, draws = 400): Energy | null {
  const board = catalogue.boards.get(draft.board);
  const supply = catalogue.supplies.get(draft.supply);
  if (!board || !supply) return null;
  const states = statesOf(draft, board, supply, catalogue, 1, 1);
  const total = states.reduce((sum, state) => sum + state.milliamps * state.seconds, 0);
  const shares = states.map(({ state, milliamps, seconds }) => ({
    state,
    milliampSeconds: milliamps * seconds,
    share: (milliamps * seconds) / total,
  }));
  const average = averageOf(states);
  const { battery } = supply;
  if (!battery) return { averageMilliamps: average, shares, days: null, daysNetworkDown: null };
  const lives: number[] = [];
  for (let i = 0; i < draws; i++) {
    const drawn = averageOf(statesOf(draft, board, supply, catalogue, 0.85 + 0.3 * random(), 0.7 + 0.9 * random()));
    const usable =
      battery.usable * (draft.outdoors ? battery.coldFactor + (1 - battery.coldFactor) * random() : 1) * (0.8 + 0.25 * random());
    lives.push(batteryDays(battery.capacityMilliampHours, Math.min(1, usable), drawn, battery.selfDischargePerYear));
  }
  lives.sort((a, b) => a - b);
  const at = (share: number): number => lives[Math.min(lives.length - 1, Math.floor(share * lives.length))] ?? 0;
  const sleeping = states.find((state) => state.state === 'asleep')?.milliamps ?? 0;
  const down = averageMilliamps([
    { milliamps: board.draw.activeMilliamps, seconds: ATTEMPT_SECONDS },
    { milliamps: sleeping, seconds: BACK_OFF_SECONDS },
  ]);
  return {
    averageMilliamps: average,
    shares,
    days: { likely: at(0.5), low: at(0.05), high: at(0.95) },
    daysNetworkDown: batteryDays(battery.capacityMilliampHours, battery.usable, down, battery.selfDischargePerYear),
  };
}

interface SheetState extends ChargeState {
  readonly state: string;
  /** Goes on beside the other states, and takes no time from them. */
  readonly beside?: boolean;
}

/** Average over the interval: charge of every state over the time of those that follow each other. */
const averageOf = (states: readonly SheetState[]): number => {
  const along = states.filter((state) => !state.beside);
  const interval = along.reduce((sum, state) => sum + state.seconds, 0);
  const beside = states.filter((state) => state.beside).reduce((sum, state) => sum + state.milliamps * state.seconds, 0);
  return averageMilliamps(along) + beside / interval;
};

function statesOf(
  draft: SheetDraft,
  board: BoardProfile,
  supply: SupplyProfile,
  catalogue: Catalogue,
  current: number,
  time: number,
): SheetState[] {
  const parts = draft.parts.flatMap(({ part }) => catalogue.parts.get(part) ?? []);
  const measuring = parts.reduce((sum, part) => sum + part.draw.measuringMilliamps, 0);
  const warmUp = Math.max(0.05, ...parts.map((part) => part.draw.warmUpSeconds));
  const resting =
    parts.reduce((sum, part) => sum + part.draw.sleepMicroamps, 0) + supply.quiescentMicroamps + dividerDrain(draft, catalogue);
  const { activeMilliamps, transmitMilliamps, sleepMicroamps, bootSeconds, joinSeconds } = board.draw;
  const interval = draft.reportSeconds;
  // A held coil draws beside whatever the board does: its own state, which takes no time from the others.
  const held = draft.parts.flatMap((place) => {
    const coil = catalogue.parts.get(place.part)?.output?.coilMilliamps ?? 0;
    const hours = place.load?.hoursPerDay ?? HELD_HOURS;
    return coil > 0 && hours > 0 ? [{ milliamps: coil * (hours / 24), seconds: interval }] : [];
  });
  const holding =
    held.length === 0
      ? []
      : [{ state: 'outputs held', milliamps: held.reduce((sum, one) => sum + one.milliamps, 0), seconds: interval, beside: true }];
  if (!supply.battery) {
    return [
      { state: 'sending', milliamps: (transmitMilliamps + measuring) * current, seconds: SEND_SECONDS },
      { state: 'awake', milliamps: (activeMilliamps + measuring) * current, seconds: Math.max(0, interval - SEND_SECONDS) },
      ...holding,
    ];
  }
  // Events wake it too, each with a join and a send.
  const wakes = 1 + (draft.eventsPerDay * interval) / 86_400;
  const awake = [
    { state: 'starting', milliamps: activeMilliamps * current, seconds: bootSeconds * wakes },
    { state: 'measuring', milliamps: (activeMilliamps * 0.4 + measuring) * current, seconds: warmUp },
    { state: 'joining', milliamps: activeMilliamps * 1.1 * current, seconds: joinSeconds * time * wakes },
    { state: 'sending', milliamps: transmitMilliamps * current, seconds: SEND_SECONDS * wakes },
    { state: 'waiting for the answer', milliamps: activeMilliamps * current, seconds: ANSWER_SECONDS * wakes },
  ];
  // Cut off altogether, nothing but the supply and the switch that waits goes on drawing.
  const asleep = draft.wake === 'board timer' ? sleepMicroamps + resting : supply.quiescentMicroamps + WAKE_CIRCUIT_MICROAMPS[draft.wake];
  const busy = awake.reduce((sum, state) => sum + state.seconds, 0);
  return [...awake, { state: 'asleep', milliamps: asleep / 1000, seconds: Math.max(0, interval - busy) }, ...holding];
}

function dividerDrain(draft: SheetDraft, catalogue: Catalogue): number {
  return Object.entries(draft.dividers).reduce((sum, [id, { upperOhms, lowerOhms, switched }]) => {
    const [ref, terminal] = id.split('.');
    const part = draft.parts.find((one) => one.ref === ref);
    const volts = catalogue.parts.get(part?.part ?? '')?.terminals.find((one) => one.name === terminal)?.volts ?? 0;
    return switched ? sum : sum + (1e6 * volts) / (upperOhms + lowerOhms);
  }, 0);
}
