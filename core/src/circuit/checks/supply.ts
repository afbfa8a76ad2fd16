import { formatNumber } from '../../quantity';
import { isCutOff, type DraftPart } from '../sheet/draft';
import { asleepMicroamps, dividerMicroampsOf } from '../sheet/energy';
import { feedOf, livesOnBattery, packMilliamps, type PartProfile, type SupplyProfile } from '../profile';
import { drives, ohmsText, withPart, type Bench, type Check } from './check';
import { contactPullUpOhms } from '../sheet/wiring';

/** Two years of a battery's charge, spread evenly, µA at the pack. */
const TWO_YEARS_HOURS = 2 * 8766;
const budgetMicroamps = (battery: NonNullable<SupplyProfile['battery']>): number =>
  (battery.capacityMilliampHours * battery.usable * 1000) / TWO_YEARS_HOURS;
/** A part that empties the battery by itself within so many days fails, within so many more it warns. */
const SHORTEST_DAYS = 30;
const SHORT_DAYS = 180;

/** What goes on drawing while the node sleeps, and what its supply cannot do where it hangs. */
export function checkSupply(bench: Bench): Check[] {
  return [...alwaysFed(bench), ...contacts(bench), ...dividers(bench), ...panel(bench), ...frost(bench), ...warmUp(bench)];
}

/** How a part's supply can be switched on this sheet; `null`: it cannot, or need not. */
function switching({ board, draft }: Bench, place: DraftPart, profile: PartProfile): Check['fix'] | null {
  const fed = feedOf(profile);
  if ((fed !== 'supply' && fed !== 'resistor') || drives(profile) || profile.terminals.some((terminal) => terminal.signal === 'i2c'))
    return null;
  const byPin = profile.draw.measuringMilliamps <= board.pinMilliamps && profile.supplyVolts[0] <= board.logicVolts;
  return {
    label: byPin ? 'Feed it from a pin' : 'Switch its supply',
    draft: withPart(draft, place.ref, { feed: byPin ? 'pin' : 'transistor' }),
  };
}

/** Parts that are never off: an analog one wired straight to the supply draws day and night. */
function alwaysFed(bench: Bench): Check[] {
  const { asleep, board, draft, parts, supply } = bench;
  if (!asleep || !supply.battery || isCutOff(draft)) return [];
  const { battery } = supply;
  return parts.flatMap(({ place, profile }): Check[] => {
    if (feedOf(profile) === 'contact') return [];
    const microamps = asleepMicroamps(place, profile, board);
    const atPack = packMilliamps(supply, microamps / 1000);
    if (microamps === 0 || atPack * 1000 < 0.1 * budgetMicroamps(battery)) return [];
    const days = (battery.capacityMilliampHours * battery.usable) / atPack / 24;
    const fix = switching(bench, place, profile);
    return [
      {
        id: 'always-fed',
        verdict: days < SHORTEST_DAYS ? 'fail' : days < SHORT_DAYS ? 'warn' : 'pass',
        title: 'It draws while the node sleeps',
        figure: `${microamps >= 1000 ? `${formatNumber(microamps / 1000, 1)} mA` : `${formatNumber(microamps)} µA`} asleep`,
        limit: `empties the battery in ${formatNumber(days)} days by itself`,
        reason: fix
          ? 'Fed all the time it draws all the time. Switched, it costs only what measuring takes.'
          : 'It cannot be switched off: feed the node from the mains, or take a part that sleeps.',
        at: place.ref,
        ...(fix && { fix }),
      },
    ];
  });
}

/** A contact that stands closed drains its pull-up for as long as it does. */
function contacts({ asleep, board, draft, parts, supply }: Bench): Check[] {
  // Cut off, its pull-up has no power either; the pulse circuit costs nothing whichever way the contact stands.
  if (!asleep || !supply.battery || isCutOff(draft)) return [];
  const budget = budgetMicroamps(supply.battery);
  return parts.flatMap(({ place, profile }): Check[] => {
    if (feedOf(profile) !== 'contact' || !profile.terminals.some((terminal) => terminal.signal === 'contact')) return [];
    const ohms = contactPullUpOhms(profile);
    const drain = (1e6 * board.logicVolts) / ohms;
    return [
      {
        id: 'contact-leak',
        verdict: drain > 0.1 * budget ? 'fail' : drain > 0.02 * budget ? 'warn' : 'pass',
        title: 'Drain through a closed contact',
        figure: `${formatNumber(drain, 1)} µA through ${ohmsText(ohms)}`,
        limit: `${formatNumber(0.1 * budget, 1)} µA, a tenth of two years`,
        reason: profile.restsClosed
          ? 'It rests closed and drains day and night: the contact with a pulse circuit costs nothing at rest either way.'
          : 'A door left open, or a float that stays up, drains for as long: the contact with a pulse circuit costs nothing either way.',
        at: place.ref,
      },
    ];
  });
}

/** Dividers across the node's own supply that nothing switches off. */
function dividers(bench: Bench): Check[] {
  const { asleep, catalogue, draft, supply } = bench;
  if (!asleep || !supply.battery) return [];
  const drain = dividerMicroampsOf(draft, supply, catalogue);
  if (drain === 0) return [];
  const budget = budgetMicroamps(supply.battery);
  const own = Object.keys(draft.dividers).find((id) =>
    bench.parts.some(({ place, profile }) => id.startsWith(`${place.ref}.`) && profile.measures === 'own supply'),
  );
  return [
    {
      id: 'divider-drain',
      verdict: drain > budget ? 'fail' : drain > 0.02 * budget ? 'warn' : 'pass',
      title: 'A divider across the battery',
      figure: `${formatNumber(drain, drain < 10 ? 1 : 0)} µA for ever`,
      limit: `${formatNumber(0.02 * budget, 1)} µA, a fiftieth of two years`,
      reason: 'It drains day and night: more ohms, or switch it on only to measure.',
      at: own?.split('.')[0] ?? '',
      ...(own !== undefined && {
        fix: {
          label: 'Switch it',
          draft: {
            ...draft,
            dividers: { ...draft.dividers, [own]: { ...(draft.dividers[own] as (typeof draft.dividers)[string]), switched: true } },
          },
        },
      }),
    },
  ];
}

function panel({ supply }: Bench): Check[] {
  if (!supply.panel) return [];
  const full = (supply.sourceVolts ?? supply.volts)[1];
  return [
    {
      id: 'panel-volts',
      verdict: supply.panel.volts >= full + 0.5 ? 'pass' : 'fail',
      title: 'Panel against battery',
      figure: `${formatNumber(supply.panel.volts, 1)} V`,
      limit: `over ${formatNumber(full + 0.5, 1)} V`,
      reason: 'A panel that gives less than the full battery and its diode never fills it.',
      at: '',
    },
  ];
}

/** Lithium charged in frost plates metal and may burn later. */
function frost({ draft, supply }: Bench): Check[] {
  const { battery } = supply;
  if (
    !battery ||
    !draft.outdoors ||
    battery.chargesInFrost ||
    !(supply.panel || (supply.role === 'backup of mains' && /lithium/.test(battery.chemistry)))
  )
    return [];
  if (!/lithium/.test(battery.chemistry)) return [];
  return [
    {
      id: 'frost',
      verdict: 'warn',
      title: 'Charged in frost',
      figure: `${battery.chemistry}, outdoors`,
      limit: 'above 0 °C',
      reason:
        'A lithium cell charged below 0 °C is ruined and may catch fire later: a charger that measures the cell and waits, or lead-acid.',
      at: '',
    },
  ];
}

/** A warm-up that takes more charge than everything else. */
const LONG_WARM_UP_SECONDS = 10;
function warmUp({ draft, parts, supply }: Bench): Check[] {
  const seconds = Math.max(0, ...parts.map(({ profile }) => profile.draw.warmUpSeconds));
  if (!livesOnBattery(supply) || draft.wake === 'stays awake' || seconds <= LONG_WARM_UP_SECONDS) return [];
  return [
    {
      id: 'warm-up',
      verdict: 'warn',
      title: 'A long warm-up on a battery',
      figure: `${formatNumber(seconds)} s`,
      limit: `${LONG_WARM_UP_SECONDS} s`,
      reason: 'Most of the charge goes into waiting: report less often, or feed it from the mains.',
      at: '',
    },
  ];
}
