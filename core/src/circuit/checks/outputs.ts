import { formatNumber } from '../../quantity';
import type { DraftPart } from '../sheet/draft';
import { contactAmps, fuseAmps } from '../sheet/driver';
import { quietLevel } from '../sheet/lines';
import { feedOf, type PartProfile } from '../profile';
import { railFor } from '../sheet/rails';
import { withPart, type Bench, type Check } from './check';

/** Seconds that a command to an output is good for; a node must be awake to take the next one. */
export const LEASE_SECONDS = 60;

type Output = NonNullable<PartProfile['output']>;
type Load = NonNullable<DraftPart['load']>;

/** Everything that must be right where something is switched. */
export function checkOutputs(bench: Bench): Check[] {
  const found = bench.parts.flatMap(({ place, profile }): Check[] => {
    const { output } = profile;
    if (!output) return [];
    const { load } = place;
    return [
      ...drive(bench, place, profile, output),
      ...startLevel(bench, place, profile),
      ...(load
        ? [...ofLoad(place, output, load), ...protection(place, output, load)]
        : [
            {
              id: 'load',
              verdict: 'warn' as const,
              title: 'What does it switch?',
              figure: output.label,
              limit: '',
              reason: 'Say what the load is: its rating, safe state and protection cannot be checked without.',
              at: place.ref,
            },
          ]),
    ];
  });
  if (bench.draft.outdoors && found.length > 0)
    found.push({
      id: 'wet',
      verdict: 'warn',
      reminder: true,
      title: 'A relay outdoors',
      figure: 'outdoors',
      limit: 'a box to IP65',
      reason: 'Water near power: residual-current device of 30 mA, drip loops, nothing repaired under power.',
      at: '',
    });
  return found;
}

function drive({ board, draft, supply }: Bench, place: DraftPart, profile: PartProfile, output: Output): Check[] {
  const found: Check[] = [];
  const own = output.driver || place.drive === 'transistor';
  if (!board.watchdog)
    found.push({
      id: 'watchdog',
      verdict: 'fail',
      title: 'An output without a watchdog',
      figure: board.name,
      limit: 'a hardware watchdog',
      reason: 'If the program hangs, the output stays as it is: choose a board with one.',
      at: place.ref,
    });
  if (output.coilMilliamps > 0 && !own)
    found.push({
      id: 'coil',
      verdict: 'fail',
      title: 'A coil without driver and diode',
      figure: `${formatNumber(output.coilMilliamps)} mA`,
      limit: `${formatNumber(board.pinMilliamps)} mA a pin`,
      reason: 'A transistor and a flyback diode (cathode to the supply) belong between pin and coil.',
      at: place.ref,
      ...(feedOf(profile) === 'pin' && {
        fix: { label: 'Through a transistor', draft: withPart(draft, place.ref, { drive: 'transistor' }) },
      }),
    });
  const rail = railFor(profile, board, supply);
  const high = rail?.volts[1] ?? 0;
  if (output.activeLevel === 'low' && high > board.logicVolts + 0.3 && place.drive !== 'transistor')
    found.push({
      id: 'drive-level',
      verdict: 'warn',
      title: 'A pin that cannot quite switch it off',
      figure: `${formatNumber(board.logicVolts, 1)} V against ${formatNumber(high, 1)} V`,
      limit: 'as many volts as the module',
      reason:
        'An active-low input of 5 V is released by 5 V: at 3.3 V some current goes on, and the relay may never fall off. Take a module that is active high, or one whose input side is fed with 3.3 V.',
      at: place.ref,
    });
  return found;
}

function startLevel({ assignment, board }: Bench, place: DraftPart, profile: PartProfile): Check[] {
  const terminal = profile.terminals.find((one) => one.signal === 'digital-out' || one.signal === 'pwm-out');
  const pin = board.pins.find((one) => one.name === assignment?.pins.get(`${place.ref}.${terminal?.name ?? ''}`));
  const quiet = quietLevel(profile);
  if (!pin || !quiet) return [];
  const strapped = pin.strap !== null && pin.strap !== quiet;
  const rests = !strapped && (pin.atStart === 'floating' || pin.atStart === quiet);
  return [
    {
      id: 'start-level',
      verdict: rests ? 'pass' : 'fail',
      title: rests ? 'At rest while the board starts' : 'Moves while the board starts',
      figure: strapped ? `${pin.name} must be ${pin.strap ?? ''} at start` : `${pin.name} ${pin.atStart}`,
      limit: `${quiet} keeps it at rest`,
      reason: strapped
        ? 'The board does not start as wanted unless this pin stands at the level that switches the output on: take another pin.'
        : pin.atStart === 'floating'
          ? `10 kΩ ${quiet === 'low' ? 'down to ground' : 'up to 3.3 V'} holds it during reset, start, writing and sleep.`
          : rests
            ? 'The pin stands so by itself.'
            : 'It switches at every reset, start and write: take a pin that floats, or one that stands at the resting level.',
      at: place.ref,
    },
  ];
}

function ofLoad(place: DraftPart, output: Output, load: Load): Check[] {
  const safe = load.safe === 'off' || output.contacts !== 'open';
  const found: Check[] = [
    {
      id: 'fail-safe',
      verdict: safe ? 'pass' : 'fail',
      title: safe ? 'Fails safe' : 'Cannot fail safe',
      figure: safe ? `${load.name}: ${load.safe}` : `${load.name} is safe on`,
      limit: safe ? (load.safe === 'on' ? 'normally closed contact' : 'normally open contact') : 'de-energised contact open',
      reason: safe
        ? 'The safe state is that of the de-energised contact.'
        : 'Without power the contact is open and the load off: take a relay with a normally closed contact.',
      at: place.ref,
    },
  ];
  if (output.contactAmps <= 0) return found;
  const may = contactAmps(output.contactAmps, load.kind);
  found.push({
    id: 'contact',
    verdict: load.amps > may ? 'fail' : load.amps > 0.8 * may ? 'warn' : 'pass',
    title: 'Rating of the contact',
    figure: `${formatNumber(load.amps, 1)} A ${load.kind}`,
    limit: `${formatNumber(may, 1)} A of ${formatNumber(output.contactAmps)} A resistive`,
    reason:
      load.amps > may
        ? 'It would weld or burn: switch a contactor that is rated for this kind of load.'
        : 'Derated by kind of load; common practice.',
    at: place.ref,
  });
  const fuse = fuseAmps(load.amps, output.contactAmps);
  found.push({
    id: 'fuse',
    verdict: fuse === null ? 'fail' : 'warn',
    reminder: fuse !== null,
    title: fuse === null ? 'No fuse fits between load and contact' : 'A fuse for the branch',
    figure: fuse === null ? `${formatNumber(load.amps, 1)} A` : `${fuse} A`,
    limit: `${formatNumber(output.contactAmps)} A contact`,
    reason: 'Above the load, not above contact and cable. Mains: follow the local code; have a licensed electrician do or check it.',
    at: place.ref,
  });
  return found;
}

const PROTECTION: Record<Load['machine'], string> = {
  heater: 'its own thermal cut-out',
  pump: 'a float or dry-run protection',
  gate: 'limit switches',
  dump: 'its own controller',
  none: '',
};

function protection(place: DraftPart, output: Output, load: Load): Check[] {
  const wanted = PROTECTION[load.machine];
  if (wanted === '') return [];
  const has = load.protectedBy.trim() !== '';
  const found: Check[] = [
    {
      id: 'protection',
      verdict: has ? 'pass' : 'fail',
      title: has ? 'Protected by itself' : 'Nothing protects it when this fails',
      figure: has ? load.protectedBy : load.name,
      limit: wanted,
      reason: has
        ? 'A relay and its program are no safety device.'
        : `A relay and its program are no safety device: a ${load.machine === 'dump' ? 'dump load' : load.machine} needs ${wanted}.`,
      at: place.ref,
    },
  ];
  if (load.machine === 'pump' && output.guards.maxRunSeconds === null)
    found.push({
      id: 'max-run',
      verdict: 'warn',
      title: 'A pump without a longest run',
      figure: 'none',
      limit: '',
      reason: 'Right for drainage, which alarms instead; wrong for watering, which empties the tank.',
      at: place.ref,
    });
  return found;
}
