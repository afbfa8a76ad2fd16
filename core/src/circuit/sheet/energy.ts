import { averageMilliamps, batteryDays, type ChargeState } from '../../power';
import { isCutOff, sleeps, type SheetDraft } from './draft';
import {
  feedOf,
  packMilliamps,
  packVolts,
  roleOf,
  type BoardProfile,
  type Catalogue,
  type PartProfile,
  type SupplyProfile,
  type SupplyRole,
} from '../profile';
import { pullUpMicroamps } from './pull-up';
import { isSwitched } from './rails';
import { contactPullUpOhms } from './wiring';

/** Where the charge of one reporting interval goes. */
export interface EnergyShare {
  readonly state: string;
  readonly milliampSeconds: number;
  readonly share: number;
}

/** Days: the middle and the range that nine of ten draws of the uncertain inputs fall in. */
export interface DayRange {
  readonly likely: number;
  readonly low: number;
  readonly high: number;
}

export interface Energy {
  readonly role: SupplyRole;
  /** At the board's input, mA. */
  readonly averageMilliamps: number;
  readonly shares: readonly EnergyShare[];
  /** Days until the battery is changed or charged by hand; `null` where nobody has to: mains, a panel, a backup. */
  readonly days: DayRange | null;
  /** Days that a full battery carries the node by itself: without sun, or with the mains gone; `null` without a battery. */
  readonly bridgingDays: DayRange | null;
  /** Days survived with the network down; `null` for what never sleeps, which lives no shorter then, and without a battery. */
  readonly daysNetworkDown: number | null;
}

/** What the wake circuits draw while they wait, µA: 35 nA as in the datasheet cited in timer-resistor.ts; a contact pulse circuit less than 0.5 µA (common practice). */
const WAKE_CIRCUIT_MICROAMPS: Record<SheetDraft['wake'], number> = {
  'board timer': 0,
  'stays awake': 0,
  'nanopower timer': 0.035,
  'contact pulse': 0.5,
  'contact pulse and timer': 0.535,
};
const SEND_SECONDS = 0.3;
/** For the broker's answer, awake with the radio on. Common practice. */
const ANSWER_SECONDS = 0.25;
const HELD_HOURS = 2;
const ATTEMPT_SECONDS = 10;
const DAY_SECONDS = 86_400;
const BACK_OFF_SECONDS = 6 * 3600;

/**
 * Charge of one interval from its states: start, warm-up and measuring, joining, sending, sleeping. What does not sleep stays awake.
 * `random` (0…1) drives the draws; the same source gives the same answer. Uncertainties are common practice: currents ±15 %, times
 * −30…+60 % (joining is what varies), capacity −20…+5 %.
 */
export function energyOf(draft: SheetDraft, catalogue: Catalogue, random: () => number, draws = 400): Energy | null {
  const board = catalogue.boards.get(draft.board);
  const supply = catalogue.supplies.get(draft.supply);
  if (!board || !supply) return null;
  const role = roleOf(supply);
  const states = statesOf(draft, board, supply, catalogue, 1, 1);
  const total = states.reduce((sum, state) => sum + state.milliamps * state.seconds, 0);
  const shares = states.map(({ state, milliamps, seconds }) => ({
    state,
    milliampSeconds: milliamps * seconds,
    share: (milliamps * seconds) / total,
  }));
  const average = averageOf(states);
  const { battery } = supply;
  if (!battery) return { role, averageMilliamps: average, shares, days: null, bridgingDays: null, daysNetworkDown: null };
  const lives: number[] = [];
  const own = supply.quiescentMicroamps / 1000;
  const lasts = (boardMilliamps: number, usable: number): number =>
    batteryDays(
      battery.capacityMilliampHours,
      Math.min(1, usable),
      packMilliamps(supply, boardMilliamps) + own,
      battery.selfDischargePerYear,
    );
  for (let i = 0; i < draws; i++) {
    const drawn = averageOf(statesOf(draft, board, supply, catalogue, 0.85 + 0.3 * random(), 0.7 + 0.9 * random()));
    lives.push(
      lasts(
        drawn,
        battery.usable * (draft.outdoors ? battery.coldFactor + (1 - battery.coldFactor) * random() : 1) * (0.8 + 0.25 * random()),
      ),
    );
  }
  lives.sort((a, b) => a - b);
  const at = (share: number): number => lives[Math.min(lives.length - 1, Math.floor(share * lives.length))] ?? 0;
  const range = { likely: at(0.5), low: at(0.05), high: at(0.95) };
  const asleep = states.find((state) => state.state === 'asleep');
  return {
    role,
    averageMilliamps: average,
    shares,
    days: role === 'primary' || role === 'rechargeable' ? range : null,
    bridgingDays: range,
    daysNetworkDown: asleep ? lasts(networkDownMilliamps(draft, board, asleep.milliamps), battery.usable) : null,
  };
}

/**
 * Average with the network down, mA: a node that sleeps by its board's timer backs off to an attempt in six hours; a nanopower timer or
 * a contact cannot know, and wakes it as before. Every wake tries to join for ten seconds.
 */
function networkDownMilliamps(draft: SheetDraft, board: BoardProfile, asleepMilliamps: number): number {
  const byClock = !['board timer', 'contact pulse'].includes(draft.wake)
    ? DAY_SECONDS / draft.reportSeconds
    : draft.wake === 'board timer'
      ? DAY_SECONDS / Math.max(BACK_OFF_SECONDS, draft.reportSeconds)
      : 0;
  const attempting = Math.min(DAY_SECONDS, (byClock + draft.eventsPerDay) * (ATTEMPT_SECONDS + board.draw.bootSeconds));
  return averageMilliamps([
    { milliamps: board.draw.activeMilliamps, seconds: attempting },
    { milliamps: asleepMilliamps, seconds: DAY_SECONDS - attempting },
  ]);
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

/** What a part draws while its node sleeps, µA: nothing where its feed is switched, and what its closed contact lets through. */
export function asleepMicroamps(place: SheetDraft['parts'][number], profile: PartProfile, board: BoardProfile): number {
  if (isSwitched(place)) return 0;
  if (feedOf(profile) !== 'contact') return profile.draw.sleepMicroamps;
  return profile.restsClosed ? pullUpMicroamps(board.logicVolts, contactPullUpOhms(profile)) : 0;
}

function statesOf(
  draft: SheetDraft,
  board: BoardProfile,
  supply: SupplyProfile,
  catalogue: Catalogue,
  current: number,
  time: number,
): SheetState[] {
  const parts = draft.parts.flatMap((place) => {
    const profile = catalogue.parts.get(place.part);
    return profile ? [{ place, profile }] : [];
  });
  const measuring = parts.reduce((sum, { profile }) => sum + profile.draw.measuringMilliamps, 0);
  const warmUp = Math.max(0.05, ...parts.map(({ profile }) => profile.draw.warmUpSeconds));
  const resting =
    parts.reduce((sum, { place, profile }) => sum + asleepMicroamps(place, profile, board), 0) +
    dividerMicroampsOf(draft, supply, catalogue);
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
  // What is fed all the time draws all the time, measuring or not.
  const awakeParts = Math.max(measuring, resting / 1000);
  if (!sleeps(draft, supply)) {
    return [
      { state: 'sending', milliamps: (transmitMilliamps + awakeParts) * current, seconds: SEND_SECONDS },
      { state: 'awake', milliamps: (activeMilliamps + awakeParts) * current, seconds: Math.max(0, interval - SEND_SECONDS) },
      ...holding,
    ];
  }
  // Events wake it too, each with a join and a send.
  const wakes = 1 + (draft.eventsPerDay * interval) / DAY_SECONDS;
  const idle = resting / 1000;
  const awake = [
    { state: 'starting', milliamps: (activeMilliamps * 0.4 + idle) * current, seconds: bootSeconds * wakes },
    { state: 'measuring', milliamps: (activeMilliamps * 0.4 + awakeParts) * current, seconds: warmUp },
    { state: 'joining', milliamps: (activeMilliamps + idle) * current, seconds: joinSeconds * time * wakes },
    { state: 'sending', milliamps: (transmitMilliamps + idle) * current, seconds: SEND_SECONDS * wakes },
    { state: 'waiting for the answer', milliamps: (activeMilliamps + idle) * current, seconds: ANSWER_SECONDS * wakes },
  ];
  // Cut off altogether, only what lies before the switch that waits goes on drawing: that switch, and a divider across the battery itself.
  const asleep = isCutOff(draft)
    ? WAKE_CIRCUIT_MICROAMPS[draft.wake] + dividerMicroampsOf(draft, supply, catalogue, 'own supply')
    : sleepMicroamps + resting;
  const busy = awake.reduce((sum, state) => sum + state.seconds, 0);
  return [...awake, { state: 'asleep', milliamps: asleep / 1000, seconds: Math.max(0, interval - busy) }, ...holding];
}

/** What the dividers of a sheet draw for ever, µA: those across a supply that are not switched; `only`: those across the node's own. */
export function dividerMicroampsOf(draft: SheetDraft, supply: SupplyProfile, catalogue: Catalogue, only?: 'own supply'): number {
  return Object.entries(draft.dividers).reduce((sum, [id, { upperOhms, lowerOhms, switched }]) => {
    const [ref, terminal] = id.split('.');
    const place = draft.parts.find((one) => one.ref === ref);
    const part = catalogue.parts.get(place?.part ?? '');
    if (!part || switched || (only && part.measures !== only)) return sum;
    // A bank's divider drains the bank; only the node's own supply is counted here.
    if (part.measures !== 'own supply' && feedOf(part) === 'source') return sum;
    const volts = part.measures === 'own supply' ? packVolts(supply)[1] : (part.terminals.find((one) => one.name === terminal)?.volts ?? 0);
    return sum + (1e6 * volts) / (upperOhms + lowerOhms);
  }, 0);
}
