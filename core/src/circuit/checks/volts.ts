import { formatNumber } from '../../quantity';
import { dividerVolts } from '../sheet/divider';
import { feedOf, livesOnBattery, packVolts, pinVoltsMax, type BoardProfile, type SupplyProfile } from '../profile';
import { feedsLogic, railFor, railsOf } from '../sheet/rails';
import { drives, ohmsText, withPart, type Bench, type Check } from './check';

const volts = (range: readonly [number, number]): string =>
  range[0] === range[1] ? `${formatNumber(range[0], 1)} V` : `${formatNumber(range[0], 1)} to ${formatNumber(range[1], 1)} V`;

/** Supply against board, every part against the rail it hangs on, every signal against the pin it reaches. */
export function checkVolts(bench: Bench): Check[] {
  return [...supplyVolts(bench.board, bench.supply), ...partVolts(bench), ...logicVolts(bench), ...pinCurrents(bench)];
}

function supplyVolts(board: BoardProfile, supply: SupplyProfile): Check[] {
  const [low, high] = supply.volts;
  if (feedsLogic(board, supply))
    return [
      {
        id: 'supply-volts',
        verdict: 'pass',
        title: 'The supply suits the board',
        figure: volts(supply.volts),
        limit: `${formatNumber(board.logicVolts, 1)} V at its logic pin`,
        reason: 'It goes past the board’s own regulator. Never USB beside it.',
        at: '',
      },
    ];
  if (low >= board.supplyVolts[0] && high <= board.supplyVolts[1]) return [];
  const over = high > board.supplyVolts[1];
  return [
    {
      id: 'supply-volts',
      verdict: !over && (supply.battery?.lowRestedVolts ?? 0) >= board.supplyVolts[0] ? 'warn' : 'fail',
      title: 'The supply does not suit the board',
      figure: volts(supply.volts),
      limit: volts(board.supplyVolts),
      reason: over
        ? 'More than the board’s input takes: put a step-down between.'
        : 'Towards its end the supply falls below what the board needs: that charge is lost.',
      at: '',
    },
  ];
}

function partVolts({ board, supply, parts }: Bench): Check[] {
  const rails = railsOf(board, supply);
  const all = rails.map((rail) => volts(rail.volts)).join(', ');
  return parts.flatMap(({ place, profile }): Check[] => {
    const fed = feedOf(profile);
    if (fed === 'contact' || fed === 'board' || fed === 'source' || (fed === 'pin' && !drives(profile))) return [];
    const rail = railFor(profile, board, supply);
    if (rail) {
      if (rail.kind !== 'source') return [];
      return [
        {
          id: 'two-supplies',
          verdict: 'warn',
          title: 'Two voltages on one sheet',
          figure: `${place.ref} hangs on ${volts(rail.volts)}`,
          limit: `${volts(supply.volts)} at the board`,
          reason: 'One ground for both, and never the two plus lines joined; unplug both before rewiring.',
          at: place.ref,
        },
      ];
    }
    const tooMuch = rails.some((one) => one.volts[0] >= profile.supplyVolts[0] && one.volts[1] > profile.supplyVolts[1]);
    return [
      {
        id: 'part-volts',
        verdict: 'fail',
        title: tooMuch ? 'A part would get more volts than it takes' : 'A part needs other volts than there are',
        figure: volts(profile.supplyVolts),
        limit: `there is ${all}`,
        reason: tooMuch
          ? 'It is destroyed at the upper end: take a supply that keeps within, or a part for these volts.'
          : 'Choose a supply that gives them all the way down to empty, or a part for the volts there are.',
        at: place.ref,
      },
    ];
  });
}

/** A divider of 10 kΩ over 20 kΩ brings 5 V to 3.3 V. Common practice. */
const LOGIC_DIVIDER = { upperOhms: 10_000, lowerOhms: 20_000, switched: false };

function logicVolts({ board, draft, parts }: Bench): Check[] {
  const most = pinVoltsMax(board);
  return parts.flatMap(({ place, profile }) =>
    profile.terminals.flatMap((terminal): Check[] => {
      if (['analog', 'digital-out', 'pwm-out'].includes(terminal.signal) || terminal.volts <= most) return [];
      const id = `${place.ref}.${terminal.name}`;
      const divider = draft.dividers[id];
      const reaches = divider ? dividerVolts(terminal.volts, divider.upperOhms, divider.lowerOhms) : terminal.volts;
      const enough = reaches >= 0.75 * board.logicVolts;
      const verdict = reaches > most || !enough ? 'fail' : 'pass';
      return [
        {
          id: 'logic-volts',
          verdict,
          title:
            reaches > most
              ? 'Too many volts for a pin'
              : enough
                ? 'Its volts are brought down to the pin’s'
                : 'Too few volts behind the divider',
          figure: `${formatNumber(reaches, 1)} V at ${terminal.name}`,
          limit: `${formatNumber(0.75 * board.logicVolts, 1)} to ${formatNumber(most, 1)} V`,
          reason:
            reaches > most
              ? `It damages the board: ${ohmsText(LOGIC_DIVIDER.upperOhms)} over ${ohmsText(LOGIC_DIVIDER.lowerOhms)}, or a level shifter, between them.`
              : enough
                ? 'The divider holds it within what the pin takes and counts as high.'
                : 'The pin would not count it as high: a smaller upper resistor.',
          at: place.ref,
          ...(verdict === 'fail' && {
            fix: { label: 'Add the divider', draft: { ...draft, dividers: { ...draft.dividers, [id]: LOGIC_DIVIDER } } },
          }),
        },
      ];
    }),
  );
}

/** What each pin gives: to what hangs on it directly, to a part that it feeds. */
function pinCurrents({ board, draft, parts }: Bench): Check[] {
  return parts.flatMap(({ place, profile }): Check[] => {
    const found: Check[] = [];
    for (const terminal of profile.terminals) {
      if (terminal.signal !== 'digital-out' && terminal.signal !== 'pwm-out') continue;
      if (terminal.milliamps <= board.pinMilliamps || place.drive === 'transistor') continue;
      found.push({
        id: 'pin-current',
        verdict: 'fail',
        title: 'More current than a pin gives',
        figure: `${formatNumber(terminal.milliamps)} mA`,
        limit: `${formatNumber(board.pinMilliamps)} mA`,
        reason: 'Drive it through a transistor, with a flyback diode where it is a coil.',
        at: place.ref,
        ...(feedOf(profile) === 'pin' && {
          fix: { label: 'Through a transistor', draft: withPart(draft, place.ref, { drive: 'transistor' }) },
        }),
      });
    }
    if (place.feed === 'pin' && profile.draw.measuringMilliamps > board.pinMilliamps)
      found.push({
        id: 'pin-current',
        verdict: 'fail',
        title: 'A pin cannot feed this part',
        figure: `${formatNumber(profile.draw.measuringMilliamps)} mA`,
        limit: `${formatNumber(board.pinMilliamps)} mA`,
        reason: 'Switch its supply by a transistor instead.',
        at: place.ref,
        fix: { label: 'By a transistor', draft: withPart(draft, place.ref, { feed: 'transistor' }) },
      });
    return found;
  });
}

/** What regulator and supply must give at once, and how far the supply sags under it. */
export function checkCurrents(bench: Bench): Check[] {
  const { board, supply, parts } = bench;
  const on = (kind: 'logic' | 'supply' | 'source'): number =>
    parts
      .filter(({ profile }) => railFor(profile, board, supply)?.kind === kind)
      .reduce(
        (sum, { profile }) =>
          sum + Math.max(profile.draw.measuringMilliamps, profile.draw.sleepMicroamps / 1000) + (profile.output?.coilMilliamps ?? 0),
        0,
      );
  const byRegulator = board.draw.transmitMilliamps + on('logic');
  const peak = byRegulator + on('supply');
  const verdict = (figure: number, limit: number): Check['verdict'] => (figure > limit ? 'fail' : figure > 0.8 * limit ? 'warn' : 'pass');
  const found: Check[] = [];
  if (!feedsLogic(board, supply))
    found.push({
      id: 'regulator',
      verdict: verdict(byRegulator, board.regulatorMilliamps),
      title: 'Load of the board’s regulator',
      figure: `${formatNumber(byRegulator)} mA`,
      limit: `${formatNumber(board.regulatorMilliamps)} mA`,
      reason: `While it transmits and everything at ${formatNumber(board.logicVolts, 1)} V measures.`,
      at: '',
    });
  found.push({
    id: 'supply-current',
    verdict: verdict(peak, supply.maxMilliamps),
    title: 'Load of the supply',
    figure: `${formatNumber(peak)} mA`,
    limit: `${formatNumber(supply.maxMilliamps)} mA`,
    reason: 'While it transmits, everything measures and every coil is held.',
    at: '',
  });
  if (supply.battery && supply.converter.kind !== 'step-down' && livesOnBattery(supply)) found.push(sagOf(bench, peak));
  return found;
}

/** Between what a regulator needs at its input and what it gives. Common practice for a low-drop one. */
const DROPOUT_VOLTS = 0.2;

function sagOf({ board, supply }: Bench, peakMilliamps: number): Check {
  const battery = supply.battery as NonNullable<SupplyProfile['battery']>;
  const regulated = supply.converter.kind === 'linear';
  const sag = battery.peakCapacitor ? 0 : (battery.worstOhms * peakMilliamps) / 1000;
  const atEnd = battery.lowRestedVolts - sag;
  // Behind a regulator of its own the pack has to hold what that needs, else what the board does.
  const floor = regulated ? supply.volts[0] + DROPOUT_VOLTS : board.supplyVolts[0];
  const change = floor + sag;
  const possible = change < packVolts(supply)[1];
  return {
    id: 'sag',
    verdict: atEnd < floor ? 'warn' : 'pass',
    title: 'Supply under a transmission',
    figure: `${formatNumber(atEnd, 2)} V (sags ${formatNumber(sag, 2)} V)`,
    limit: `${formatNumber(floor, 2)} V`,
    reason:
      atEnd < floor
        ? `Cold and near its end the cell falls below what ${regulated ? 'its regulator' : 'the board'} needs, and the board restarts instead of sending: 470 µF or more beside the board${possible ? `, or change cells earlier, at ${formatNumber(change, 2)} V rested` : ''}.`
        : battery.peakCapacitor
          ? 'Its capacitor carries the peak; the cell fills it between.'
          : 'Even cold and near its end the board keeps running.',
    at: '',
  };
}
