import { quietLevel, type Line } from './lines';
import type { Assignment } from './assign';
import { isCutOff, sleeps, type SheetDraft } from './draft';
import { feedOf, type BoardProfile, type Catalogue, type PartProfile, type SupplyProfile } from '../profile';
import { singleWirePullUpOhms } from './pull-up';
import { feedsLogic, GROUND, isSwitched, logicNet, railFor, SOURCE_PLUS, SUPPLY_MINUS, SUPPLY_PLUS } from './rails';

/** One wire: between two terminals, its colour, and what it goes through. */
export interface Wire {
  readonly from: string;
  readonly to: string;
  readonly colour: string;
  readonly through: string;
  /** What lies in it, Ω; 0: a plain wire. A switch counts as plain: it conducts when it is on. */
  readonly ohms: number;
  /** Resistors from its first end to other nets, Ω. */
  readonly shunts: readonly { readonly to: string; readonly ohms: number }[];
}

const kilo = (ohms: number): string => (ohms >= 1000 ? `${ohms / 1000} kΩ` : `${ohms} Ω`);
const COLOUR: Record<string, string> = {
  i2c: 'yellow',
  'single-wire': 'yellow',
  'single-bus': 'yellow',
  analog: 'green',
  contact: 'blue',
  'digital-in': 'blue',
  'pulse-in': 'blue',
  'digital-out': 'orange',
  'pwm-out': 'orange',
  uart: 'violet',
};
const CONTACT_PULL_UP_OHMS = 1_000_000;
const BUS_PULL_UP_OHMS = 4700;
const SINGLE_BUS_PULL_UP_OHMS = 10_000;
const HOLD_OHMS = 10_000;
const BASE_OHMS = 1000;

/** Pull-up of a contact, Ω: on its module, or the one to add. */
export const contactPullUpOhms = (part: PartProfile): number => part.fittedPullUpOhms ?? CONTACT_PULL_UP_OHMS;

interface Bench {
  draft: SheetDraft;
  board: BoardProfile;
  supply: SupplyProfile;
  catalogue: Catalogue;
  assignment: Assignment;
  logic: string;
  wires: Wire[];
}
type Place = SheetDraft['parts'][number];
const wire = (
  bench: Bench,
  from: string,
  to: string,
  colour: string,
  more: Partial<Pick<Wire, 'through' | 'ohms' | 'shunts'>> = {},
): void => void bench.wires.push({ from, to, colour, through: 'direct', ohms: 0, shunts: [], ...more });

/**
 * The wires of a sheet: the supply, then part by part its own supply and ground where it has such terminals, then its signals. What
 * `shortsOf` looks at is this table itself. Colours are common practice.
 */
export function wiringOf(draft: SheetDraft, board: BoardProfile, catalogue: Catalogue, assignment: Assignment): Wire[] {
  const supply = catalogue.supplies.get(draft.supply);
  if (!supply) return [];
  const bench: Bench = { draft, board, supply, catalogue, assignment, logic: logicNet(board), wires: [] };
  const past = feedsLogic(board, supply);
  wire(
    bench,
    SUPPLY_PLUS,
    past ? bench.logic : 'board supply input',
    'red',
    isCutOff(draft) ? { through: `the ${draft.wake} circuit` } : {},
  );
  wire(bench, SUPPLY_MINUS, GROUND, 'black');
  const timer = board.pins.find((pin) => pin.wakesByTimer);
  if (timer && draft.wake === 'board timer' && sleeps(draft, supply))
    wire(bench, `pin ${timer.name}`, 'board reset', 'white', { through: 'direct: its sleep timer wakes it so' });
  for (const place of draft.parts) {
    const profile = catalogue.parts.get(place.part);
    if (!profile) continue;
    power(bench, place, profile);
    for (const line of assignment.lines)
      for (const terminal of line.terminals) if (terminal.startsWith(`${place.ref}.`)) signal(bench, place, profile, line, terminal);
  }
  return bench.wires;
}

const pinOf = (bench: Bench, line: string): string => `pin ${bench.assignment.pins.get(line) ?? ''}`;
const drivenBy = (place: Place, profile: PartProfile): 'pin' | 'transistor' =>
  feedOf(profile) === 'pin' && place.drive === 'transistor' ? 'transistor' : 'pin';

/** Supply and ground of a part, as far as it has terminals for them. */
function power(bench: Bench, place: Place, profile: PartProfile): void {
  const { ref } = place;
  const fed = feedOf(profile);
  const rail = railFor(profile, bench.board, bench.supply)?.net ?? 'a supply of its own';
  if (fed === 'supply') {
    if (!isSwitched(place)) wire(bench, rail, `${ref} supply`, 'red');
    else if (place.feed === 'transistor') {
      wire(bench, rail, `${ref} switch in`, 'red');
      wire(bench, `${ref} switch out`, `${ref} supply`, 'red');
    }
    wire(bench, GROUND, `${ref} ground`, 'black');
  }
  if (fed === 'contact' || fed === 'resistor') wire(bench, GROUND, `${ref} ground`, 'black');
  if (fed === 'resistor' && place.feed === 'transistor') wire(bench, rail, `${ref} switch in`, 'red');
  if (fed === 'source' && profile.measures === 'other') wire(bench, GROUND, `${ref} minus`, 'black');
  if (fed === 'pin') {
    if (drivenBy(place, profile) === 'pin') wire(bench, GROUND, `${ref} minus`, 'black');
    else {
      const coil = (profile.output?.coilMilliamps ?? 0) > 0;
      wire(bench, rail, `${ref} plus`, 'red', coil ? { through: 'direct; flyback diode across it, cathode here' } : {});
      wire(bench, `${ref} transistor collector`, `${ref} minus`, 'black');
      wire(bench, GROUND, `${ref} transistor emitter`, 'black');
    }
  }
}

function signal(bench: Bench, place: Place, profile: PartProfile, line: Line, terminal: string): void {
  const { ref } = place;
  const own = terminal.slice(ref.length + 1);
  const pin = pinOf(bench, line.id);
  const { logic } = bench;
  const colour = COLOUR[line.signal] ?? 'blue';
  if (own === 'feed') return feedWire(bench, place, profile, pin);
  if (own.endsWith('-switch'))
    return wire(bench, pin, `${ref} ${own} gate`, 'orange', {
      through: `${kilo(HOLD_OHMS)} down to ground: off while it starts`,
      shunts: [{ to: GROUND, ohms: HOLD_OHMS }],
    });
  // A divider stands at the terminal that puts its volts on the board: at what a serial part sends, never at what it is sent.
  const divider =
    line.id.endsWith('-out') && line.signal === 'uart'
      ? undefined
      : bench.draft.dividers[line.signal === 'uart' ? line.id.slice(0, -3) : line.id];
  const to =
    feedOf(profile) === 'source' && profile.measures === 'own supply'
      ? ownSupply(bench)
      : `${ref} ${own === 'signal' && feedOf(profile) === 'source' ? 'plus' : own}`;
  if (divider)
    return wire(bench, pin, to, colour, {
      through: `${kilo(divider.upperOhms)} in series, ${kilo(divider.lowerOhms)} down to ground${divider.switched ? `, behind a high-side switch (${ref} ${own}-switch)` : ''}`,
      ohms: divider.upperOhms,
      shunts: [{ to: GROUND, ohms: divider.lowerOhms }],
    });
  const up = (ohms: number, note = ''): Partial<Wire> => ({
    through: `${kilo(ohms)} up to ${logic.replace('board ', '')}${note}`,
    shunts: [{ to: logic, ohms }],
  });
  const first = line.terminals[0] === terminal;
  switch (line.signal) {
    case 'i2c': {
      // One pull-up a bus where no module brings its own.
      const brought =
        line.terminals.some((one) => bench.draft.parts.some((other) => other.ref === one.split('.')[0] && bringsPullUp(bench, other))) ||
        (line.id.startsWith('i2c-1.') && bench.board.i2cPullUpOhms !== null);
      return wire(
        bench,
        pin,
        to,
        colour,
        brought || !first ? { through: brought ? 'direct, pull-up on a module' : 'direct' } : up(BUS_PULL_UP_OHMS, ', once a bus'),
      );
    }
    case 'single-wire':
      return wire(
        bench,
        pin,
        to,
        colour,
        first ? up(singleWirePullUpOhms(bench.draft.cableMetres, line.terminals.length), ', once a line') : {},
      );
    case 'single-bus':
      return wire(
        bench,
        pin,
        to,
        colour,
        profile.fittedPullUpOhms ? { through: 'direct, pull-up on the module' } : up(SINGLE_BUS_PULL_UP_OHMS),
      );
    case 'contact':
    case 'pulse-in':
      if (feedOf(profile) === 'contact') return wire(bench, pin, to, colour, up(contactPullUpOhms(profile)));
      return wire(bench, pin, to, colour);
    case 'analog':
      if (feedOf(profile) === 'resistor') {
        const rail = railFor(profile, bench.board, bench.supply)?.net ?? logic;
        const from = !isSwitched(place) ? rail : place.feed === 'pin' ? pinOf(bench, `${ref}.feed`) : `${ref} switch out`;
        return wire(bench, pin, to, colour, seriesResistor(profile, from));
      }
      return wire(bench, pin, to, colour);
    case 'digital-out':
    case 'pwm-out': {
      const quiet = quietLevel(profile);
      const hold: Partial<Wire> =
        quiet === null
          ? {}
          : quiet === 'low'
            ? { through: `${kilo(HOLD_OHMS)} down to ground: at rest while it starts`, shunts: [{ to: GROUND, ohms: HOLD_OHMS }] }
            : {
                through: `${kilo(HOLD_OHMS)} up to ${logic.replace('board ', '')}: at rest while it starts`,
                shunts: [{ to: logic, ohms: HOLD_OHMS }],
              };
      if (drivenBy(place, profile) === 'pin') return wire(bench, pin, feedOf(profile) === 'pin' ? `${ref} plus` : to, colour, hold);
      return wire(bench, pin, `${ref} transistor base`, colour, {
        ...hold,
        ohms: BASE_OHMS,
        through: `${kilo(BASE_OHMS)} in series, ${hold.through ?? 'direct'}`,
      });
    }
    default:
      return wire(bench, pin, to, colour);
  }
}

const bringsPullUp = (bench: Bench, place: Place): boolean => (bench.catalogue.parts.get(place.part)?.fittedPullUpOhms ?? null) !== null;

/** The net of the node's own battery or supply, as far before its step-down as it goes. */
const ownSupply = (bench: Bench): string => (bench.supply.sourceVolts ? SOURCE_PLUS : SUPPLY_PLUS);

function seriesResistor(profile: PartProfile, from: string): Partial<Wire> {
  const ohms = profile.seriesOhms ?? HOLD_OHMS;
  return { through: `${kilo(ohms)} up to ${from.replace('board ', '')}: its series resistor`, shunts: [{ to: from, ohms }] };
}

/** The pin that switches a part's supply: the supply itself, or the gate of a switch in it. */
function feedWire(bench: Bench, { ref, feed }: Place, profile: PartProfile, pin: string): void {
  if (feed === 'pin') {
    // The series resistor of a two-wire part hangs on this pin directly: it stands with its signal.
    if (feedOf(profile) === 'supply') wire(bench, pin, `${ref} supply`, 'red', { through: 'direct: the pin feeds it while it measures' });
    return;
  }
  wire(bench, pin, `${ref} switch gate`, 'orange', {
    through: `${kilo(HOLD_OHMS)} down to ground: off while it starts`,
    shunts: [{ to: GROUND, ohms: HOLD_OHMS }],
  });
}
