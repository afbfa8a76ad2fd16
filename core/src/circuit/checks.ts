import { formatNumber } from '../quantity';
import { assignPins, pinSuits, quietLevel, type Assignment } from './assign';
import { dividerInputFor, dividerMicroamps, dividerToleranceErrorPercent, dividerVolts, lsbMillivolts, parallelOhms } from './divider';
import type { DraftPart, SheetDraft } from './draft';
import { contactAmps } from './driver';
import { nearestPreferred } from './preferred';
import { periodOfResistor, timerResistorOhms } from '../power';
import {
  BOARD_ANTENNA,
  type AntennaProfile,
  type BoardProfile,
  type Catalogue,
  type PartProfile,
  type SupplyProfile,
  type Terminal,
} from './profile';
import { I2C_RISE_NANOSECONDS, i2cPullUpMaxOhms, i2cPullUpMinOhms, pullUpMicroamps, singleWirePullUpOhms } from './pull-up';

export type Verdict = 'pass' | 'warn' | 'fail';

/** One thing that was checked: what, the figure, its limit, why it matters, and what would mend it. */
export interface Check {
  readonly id: string;
  readonly verdict: Verdict;
  readonly title: string;
  readonly figure: string;
  readonly limit: string;
  readonly reason: string;
  /** The part or line it stands at; empty: the sheet as a whole. */
  readonly at: string;
  readonly fix?: { readonly label: string; readonly draft: SheetDraft };
}

interface Bench {
  draft: SheetDraft;
  board: BoardProfile;
  supply: SupplyProfile;
  parts: readonly { place: DraftPart; profile: PartProfile }[];
  assignment: Assignment | null;
  checks: Check[];
}

/** Capacitance of a bus, pF: common practice 10 a device, 50 a metre of cable, 20 for the board. */
const busPicofarads = (devices: number, metres: number): number => 20 + 10 * devices + 50 * metres;
const DEFAULT_BUS_OHMS = 4700;
const ohms = (value: number): string =>
  value >= 1000 ? `${formatNumber(value / 1000, value % 1000 === 0 ? 0 : 2)} kΩ` : `${formatNumber(value)} Ω`;

/**
 * Checks a draft against its profiles: pins, buses, converters, currents, outputs, supply. Nothing is assumed about what is missing:
 * an unknown board, part or supply fails first.
 */
export function checkSheet(draft: SheetDraft, catalogue: Catalogue): { checks: Check[]; assignment: Assignment | null } {
  const checks: Check[] = [];
  const board = catalogue.boards.get(draft.board);
  const supply = catalogue.supplies.get(draft.supply);
  const unknown = [
    ...(board ? [] : [draft.board]),
    ...(supply ? [] : [draft.supply]),
    ...(catalogue.antennas.has(draft.antenna) ? [] : [draft.antenna]),
    ...draft.parts.filter((part) => !catalogue.parts.has(part.part)).map((part) => part.part),
  ];
  for (const id of unknown)
    checks.push({
      id: 'unknown',
      verdict: 'fail',
      title: 'Not in the catalogue',
      figure: id,
      limit: '',
      reason: 'Its profile is missing: import it, or choose another.',
      at: '',
    });
  if (!board || !supply) return { checks, assignment: null };
  const result = assignPins(draft, catalogue, supply.battery !== null);
  if (!result.ok) {
    const kept = Object.keys(draft.fixed).length > 0;
    checks.push({
      id: 'pins',
      verdict: 'fail',
      title: 'No pins left',
      figure: result.conflict.join(', ') || 'kept pins',
      limit: board.name,
      reason: `These cannot stand together: ${result.why}.`,
      at: result.conflict[0] ?? '',
      ...(kept && { fix: { label: 'Let kept pins go', draft: { ...draft, fixed: {} } } }),
    });
  }
  const parts = draft.parts.flatMap((place) => {
    const profile = catalogue.parts.get(place.part);
    return profile ? [{ place, profile }] : [];
  });
  const bench: Bench = { draft, board, supply, parts, assignment: result.ok ? result.assignment : null, checks };
  checkPins(bench);
  checkBuses(bench);
  checkAnalog(bench);
  checkVoltsAndCurrents(bench);
  checkOutputs(bench);
  checkContacts(bench);
  checkSignals(bench);
  checkHabits(bench);
  checkWake(bench);
  checkAntenna(bench, catalogue.antennas.get(draft.antenna));
  const rank: Record<Verdict, number> = { fail: 0, warn: 1, pass: 2 };
  return { checks: checks.sort((a, b) => rank[a.verdict] - rank[b.verdict]), assignment: bench.assignment };
}

const add = (bench: Bench, check: Check): void => void bench.checks.push(check);

function checkPins(bench: Bench): void {
  const { assignment, board, draft } = bench;
  if (!assignment) return;
  const straps = [...assignment.pins].filter(([, name]) => board.pins.find((pin) => pin.name === name)?.strap !== null);
  let wrong = 0;
  for (const line of assignment.lines) {
    const pin = board.pins.find((one) => one.name === assignment.pins.get(line.id));
    if (!pin || draft.fixed[line.id] === undefined || pinSuits(board, line, pin)) continue;
    wrong++;
    const missing = line.needs.filter((capability) => !pin.can.includes(capability));
    const inputOnly = missing.includes('out');
    const why = pin.reserved
      ? `the board needs it for its ${pin.reserved}`
      : inputOnly
        ? 'it can only read'
        : missing.length > 0
          ? `it has no ${missing.join(', ')}`
          : line.safeAtStart
            ? `at the start it stands ${pin.atStart}, and the output would move`
            : 'the radio takes its analog unit';
    add(bench, {
      id: 'pin-kept',
      verdict: 'fail',
      title: `Pin ${pin.name} cannot do this`,
      figure: line.id,
      limit: line.needs.join(', ') || line.signal,
      reason: `Kept by hand, but ${why}.`,
      at: line.id,
      fix: {
        label: 'Let it go',
        draft: { ...draft, fixed: Object.fromEntries(Object.entries(draft.fixed).filter(([id]) => id !== line.id)) },
      },
    });
  }
  if (wrong === 0)
    add(bench, {
      id: 'pins',
      verdict: 'pass',
      title: 'Every line has a pin',
      figure: `${assignment.pins.size} lines`,
      limit: `${board.pins.filter((pin) => pin.reserved === null).length} pins`,
      reason: 'Each pin can do what its line needs, none is used twice.',
      at: '',
    });
  if (straps.length > 0) {
    add(bench, {
      id: 'strap',
      verdict: 'warn',
      title: 'A boot-strap pin is used',
      figure: straps.map(([line, pin]) => `${pin}: ${line}`).join(', '),
      limit: straps.map(([, pin]) => `${pin} ${board.pins.find((one) => one.name === pin)?.strap ?? ''} at start`).join(', '),
      reason: 'The board starts wrongly when the part pulls it to the other level: try a start with the part fitted.',
      at: straps[0]?.[0] ?? '',
    });
  }
}

function checkBuses(bench: Bench): void {
  const { assignment, board, draft, parts } = bench;
  if (!assignment) return;
  const buses = new Set(assignment.lines.filter((line) => line.signal === 'i2c').map((line) => line.id.split('.')[0] ?? ''));
  for (const bus of buses) {
    const refs = assignment.lines.find((line) => line.id === `${bus}.data`)?.terminals.map((id) => id.split('.')[0] ?? '') ?? [];
    const members = parts.filter(({ place }) => refs.includes(place.ref));
    const fitted = members.flatMap(({ profile }) => profile.fittedPullUpOhms ?? []);
    const total = fitted.length > 0 ? 1 / fitted.reduce((sum, one) => sum + 1 / one, 0) : DEFAULT_BUS_OHMS;
    const farads = busPicofarads(members.length, draft.cableMetres);
    const low = i2cPullUpMinOhms(board.logicVolts, 0.4, 3);
    const high = i2cPullUpMaxOhms(I2C_RISE_NANOSECONDS.standard, farads);
    const verdict: Verdict = total < low || total > high || farads > 400 ? 'fail' : 'pass';
    const how = fitted.length > 0 ? `${fitted.length} fitted on the modules` : `${ohms(DEFAULT_BUS_OHMS)} to add`;
    const cure = total < low ? 'take the pull-ups off some modules' : farads > 400 ? 'shorten the cable' : 'add a smaller one';
    add(bench, {
      id: 'i2c-pull-up',
      verdict,
      title: `Pull-up of ${bus}`,
      figure: `${ohms(Math.round(total))} (${how})`,
      limit: `${ohms(Math.round(low))} to ${ohms(Math.round(high))} at ${formatNumber(farads)} pF`,
      reason:
        verdict === 'pass'
          ? 'Within the bus specification at 100 kHz (UM10204).'
          : `Outside the bus specification at 100 kHz (UM10204): ${cure}.`,
      at: refs[0] ?? '',
    });
    const seen = new Map<number, string>();
    for (const ref of refs) {
      const address = assignment.addresses.get(ref) ?? 0;
      const other = seen.get(address);
      if (other !== undefined)
        add(bench, {
          id: 'i2c-address',
          verdict: 'fail',
          title: 'Two parts with one address',
          figure: `0x${address.toString(16)}: ${other}, ${ref}`,
          limit: 'one each',
          reason: 'They answer together: set another address, or put one on a second bus.',
          at: ref,
        });
      seen.set(address, ref);
    }
  }
  if (buses.size > 1)
    add(bench, {
      id: 'i2c-second',
      verdict: 'warn',
      title: 'A second bus is needed',
      figure: `${buses.size} buses`,
      limit: '1',
      reason: 'Addresses clash and cannot be set apart: the firmware must open both.',
      at: '',
    });
  for (const line of assignment.lines.filter((one) => one.signal === 'single-wire')) {
    add(bench, {
      id: 'single-wire',
      verdict: draft.cableMetres > 100 ? 'warn' : 'pass',
      title: 'Pull-up of the single wire',
      figure: ohms(singleWirePullUpOhms(draft.cableMetres, line.terminals.length)),
      limit: `${line.terminals.length} on ${formatNumber(draft.cableMetres, 1)} m`,
      reason: 'By length and count; common practice.',
      at: line.terminals[0]?.split('.')[0] ?? '',
    });
  }
}

function checkAnalog(bench: Bench): void {
  const { board, draft, parts } = bench;
  const { fullScaleVolts, bits, sourceOhmsMax } = board.adc;
  for (const { place, profile } of parts) {
    for (const terminal of profile.terminals.filter((one) => one.signal === 'analog')) {
      const id = `${place.ref}.${terminal.name}`;
      const divider = draft.dividers[id];
      const volts = divider ? dividerVolts(terminal.volts, divider.upperOhms, divider.lowerOhms) : terminal.volts;
      const source = divider ? parallelOhms(divider.upperOhms, divider.lowerOhms) : terminal.sourceOhms;
      if (volts > fullScaleVolts * 1.001) {
        const proposed = proposeDivider(terminal, fullScaleVolts, bench.supply.battery !== null);
        add(bench, {
          id: 'adc-range',
          verdict: 'fail',
          title: 'More volts than the converter takes',
          figure: `${formatNumber(volts, 2)} V`,
          limit: `${formatNumber(fullScaleVolts, 2)} V full scale`,
          at: place.ref,
          reason: `Everything above is lost. ${ohms(proposed.upperOhms)} over ${ohms(proposed.lowerOhms)} takes ${formatNumber(dividerInputFor(fullScaleVolts, proposed.upperOhms, proposed.lowerOhms), 2)} V; with 1 % parts off by at most ${formatNumber(dividerToleranceErrorPercent(proposed.upperOhms, proposed.lowerOhms, 1), 1)} %, it draws ${formatNumber(dividerMicroamps(terminal.volts, proposed.upperOhms, proposed.lowerOhms), 1)} µA${proposed.switched ? ' and is switched on only to measure' : ''}.`,
          fix: { label: 'Add the divider', draft: { ...draft, dividers: { ...draft.dividers, [id]: proposed } } },
        });
      } else {
        const [point] = profile.points;
        const count = point ? (point.max - point.min) / (2 ** bits * (volts / fullScaleVolts)) : 0;
        const resolution = point
          ? `${formatNumber(count, Math.max(0, Math.min(4, 1 - Math.floor(Math.log10(count)))))} ${point.unit} a count`
          : `${formatNumber(lsbMillivolts(fullScaleVolts, bits), 2)} mV a count`;
        add(bench, {
          id: 'adc-range',
          verdict: 'pass',
          title: 'Within the converter’s range',
          figure: `${formatNumber(volts, 2)} V, ${resolution}`,
          limit: `${formatNumber(fullScaleVolts, 2)} V, ${bits} bits`,
          reason: 'Full output of the part against the converter’s full scale.',
          at: place.ref,
        });
      }
      if (source > sourceOhmsMax)
        add(bench, {
          id: 'adc-source',
          verdict: 'warn',
          title: 'A weak source for the converter',
          figure: ohms(Math.round(source)),
          limit: ohms(sourceOhmsMax),
          reason: 'The converter’s own capacitor is not filled in time: put 100 nF from the pin to ground, or wait before reading.',
          at: place.ref,
        });
    }
  }
}

/** A divider from preferred numbers with some headroom; high ohms and switched where it would drain a battery. */
export function proposeDivider(
  terminal: Pick<Terminal, 'volts'>,
  fullScaleVolts: number,
  battery: boolean,
): { upperOhms: number; lowerOhms: number; switched: boolean } {
  const lowerOhms = battery ? 100_000 : 10_000;
  const ratio = (terminal.volts * 1.05) / fullScaleVolts;
  let upperOhms = nearestPreferred(lowerOhms * (ratio - 1), 24);
  if (dividerVolts(terminal.volts, upperOhms, lowerOhms) > fullScaleVolts) upperOhms = nearestPreferred(upperOhms * 1.1, 24);
  return { upperOhms, lowerOhms, switched: battery };
}

function checkVoltsAndCurrents(bench: Bench): void {
  const { board, supply, parts } = bench;
  const [low, high] = supply.volts;
  if (low < board.supplyVolts[0] || high > board.supplyVolts[1]) {
    add(bench, {
      id: 'supply-volts',
      verdict: high <= board.supplyVolts[1] && (supply.battery?.lowRestedVolts ?? 0) >= board.supplyVolts[0] ? 'warn' : 'fail',
      title: 'The supply does not suit the board',
      figure: `${formatNumber(low, 1)} to ${formatNumber(high, 1)} V`,
      limit: `${formatNumber(board.supplyVolts[0], 1)} to ${formatNumber(board.supplyVolts[1], 1)} V`,
      reason:
        high > board.supplyVolts[1]
          ? 'More than the board’s input takes: put a step-down between.'
          : 'Towards its end the supply falls below what the board needs: that charge is lost.',
      at: '',
    });
  }
  for (const { place, profile } of parts) {
    for (const terminal of profile.terminals) {
      if (terminal.signal === 'digital-out' || terminal.signal === 'pwm-out') {
        if (terminal.milliamps > board.pinMilliamps)
          add(bench, {
            id: 'pin-current',
            verdict: 'fail',
            title: 'More current than a pin gives',
            figure: `${formatNumber(terminal.milliamps)} mA`,
            limit: `${formatNumber(board.pinMilliamps)} mA`,
            reason: 'Drive it through a transistor with a flyback diode, or take the module that has both.',
            at: place.ref,
          });
      } else if (terminal.signal !== 'analog' && terminal.volts > board.logicVolts + 0.3) {
        add(bench, {
          id: 'logic-volts',
          verdict: 'fail',
          title: 'Too many volts for a pin',
          figure: `${formatNumber(terminal.volts, 1)} V at ${terminal.name}`,
          limit: `${formatNumber(board.logicVolts, 1)} V`,
          reason: 'It damages the board in time: 10 kΩ over 20 kΩ, or a level shifter, between them.',
          at: place.ref,
        });
      }
    }
    const sheetVolts = profile.supplyVolts;
    if (sheetVolts[0] > Math.max(board.logicVolts, high))
      add(bench, {
        id: 'part-volts',
        verdict: 'fail',
        title: 'A part needs more volts than there are',
        figure: `${formatNumber(sheetVolts[0], 1)} V`,
        limit: `${formatNumber(Math.max(board.logicVolts, high), 1)} V`,
        reason: 'Choose a supply that gives them, or a part for 3.3 V.',
        at: place.ref,
      });
  }
  const peak =
    board.draw.transmitMilliamps +
    parts.reduce((sum, { profile }) => sum + profile.draw.measuringMilliamps + (profile.output?.coilMilliamps ?? 0), 0);
  const fedByBoard =
    board.draw.transmitMilliamps +
    parts.reduce((sum, { profile }) => sum + (profile.supplyVolts[0] <= board.logicVolts ? profile.draw.measuringMilliamps : 0), 0);
  add(bench, {
    id: 'regulator',
    verdict: fedByBoard > board.regulatorMilliamps ? 'fail' : fedByBoard > 0.8 * board.regulatorMilliamps ? 'warn' : 'pass',
    title: 'Load of the board’s regulator',
    figure: `${formatNumber(fedByBoard)} mA`,
    limit: `${formatNumber(board.regulatorMilliamps)} mA`,
    reason: 'While it transmits and everything at 3.3 V measures.',
    at: '',
  });
  add(bench, {
    id: 'supply-current',
    verdict: peak > supply.maxMilliamps ? 'fail' : peak > 0.8 * supply.maxMilliamps ? 'warn' : 'pass',
    title: 'Load of the supply',
    figure: `${formatNumber(peak)} mA`,
    limit: `${formatNumber(supply.maxMilliamps)} mA`,
    reason: 'While it transmits, everything measures and every coil is held.',
    at: '',
  });
  if (supply.battery) {
    const sag = (supply.battery.worstOhms * peak) / 1000;
    const left = supply.battery.lowLoadedVolts;
    const floor = board.supplyVolts[0];
    const atEnd = supply.battery.lowRestedVolts - sag;
    add(bench, {
      id: 'sag',
      verdict: atEnd < floor ? 'warn' : 'pass',
      title: 'Supply under a transmission',
      figure: `${formatNumber(atEnd, 2)} V (sags ${formatNumber(sag, 2)} V)`,
      limit: `${formatNumber(floor, 2)} V`,
      reason:
        atEnd < floor
          ? `Cold and near its end the cell falls below what the board needs, and it restarts instead of sending: 470 µF or more beside the board, or change cells earlier, at ${formatNumber(left + sag / 2, 2)} V.`
          : 'Even cold and near its end the board keeps running.',
      at: '',
    });
  }
}

function checkOutputs(bench: Bench): void {
  const { board, draft, parts, assignment } = bench;
  for (const { place, profile } of parts) {
    const { output } = profile;
    if (!output) continue;
    const load = place.load;
    if (!board.watchdog)
      add(bench, {
        id: 'watchdog',
        verdict: 'fail',
        title: 'An output without a watchdog',
        figure: board.name,
        limit: 'a hardware watchdog',
        reason: 'If the program hangs, the output stays as it is: choose a board with one.',
        at: place.ref,
      });
    if (output.coilMilliamps > 0 && !output.driver)
      add(bench, {
        id: 'coil',
        verdict: 'fail',
        title: 'A coil without driver and diode',
        figure: `${formatNumber(output.coilMilliamps)} mA`,
        limit: `${formatNumber(board.pinMilliamps)} mA a pin`,
        reason: 'A transistor and a flyback diode (cathode to the supply) belong between pin and coil.',
        at: place.ref,
      });
    const pinName = assignment?.pins.get(
      `${place.ref}.${profile.terminals.find((t) => t.signal === 'digital-out' || t.signal === 'pwm-out')?.name ?? ''}`,
    );
    const pin = board.pins.find((one) => one.name === pinName);
    const quiet = quietLevel(profile);
    if (pin && quiet) {
      const rests = pin.atStart === 'floating' || pin.atStart === quiet;
      add(bench, {
        id: 'start-level',
        verdict: rests ? 'pass' : 'fail',
        title: rests ? 'At rest while the board starts' : 'Moves while the board starts',
        figure: `${pin.name} ${pin.atStart}`,
        limit: `${quiet} keeps it at rest`,
        reason:
          pin.atStart === 'floating'
            ? `10 kΩ ${quiet === 'low' ? 'down to ground' : 'up to 3.3 V'} holds it during reset, start, writing and sleep.`
            : rests
              ? 'The pin stands so by itself.'
              : 'It switches at every reset, start and write: take a pin that floats, or one that stands at the resting level.',
        at: place.ref,
      });
    }
    if (!load) {
      add(bench, {
        id: 'load',
        verdict: 'warn',
        title: 'What does it switch?',
        figure: output.label,
        limit: '',
        reason: 'Say what the load is: its rating, safe state and protection cannot be checked without.',
        at: place.ref,
      });
      continue;
    }
    if (load.safe === 'on' && output.contacts === 'open')
      add(bench, {
        id: 'fail-safe',
        verdict: 'fail',
        title: 'Cannot fail safe',
        figure: `${load.name} is safe on`,
        limit: 'de-energised contact open',
        reason: 'Without power the contact is open and the load off: take a relay with a normally closed contact.',
        at: place.ref,
      });
    else
      add(bench, {
        id: 'fail-safe',
        verdict: 'pass',
        title: 'Fails safe',
        figure: `${load.name}: ${load.safe}`,
        limit: load.safe === 'on' ? 'normally closed contact' : 'normally open contact',
        reason: 'The safe state is that of the de-energised contact.',
        at: place.ref,
      });
    if (output.contactAmps > 0) {
      const may = contactAmps(output.contactAmps, load.kind);
      add(bench, {
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
      add(bench, {
        id: 'fuse',
        verdict: 'warn',
        title: 'A fuse for the branch',
        figure: `${formatNumber(Math.max(0.5, nearestPreferred(Math.max(0.1, load.amps) * 1.25, 24)), 1)} A`,
        limit: `${formatNumber(output.contactAmps)} A contact`,
        reason: 'Above the load, below contact and cable. Mains: follow the local code; have a licensed electrician do or check it.',
        at: place.ref,
      });
    }
    const wanted = {
      heater: 'its own thermal cut-out',
      pump: 'a float or dry-run protection',
      gate: 'limit switches',
      dump: 'its own controller',
      none: '',
    }[load.machine];
    if (wanted !== '') {
      const has = load.protectedBy.trim() !== '';
      add(bench, {
        id: 'protection',
        verdict: has ? 'pass' : 'fail',
        title: has ? 'Protected by itself' : 'Nothing protects it when this fails',
        figure: has ? load.protectedBy : load.name,
        limit: wanted,
        reason: has
          ? 'A relay and its program are no safety device.'
          : `A relay and its program are no safety device: a ${load.machine === 'dump' ? 'dump load' : load.machine} needs ${wanted}.`,
        at: place.ref,
      });
    }
    if (load.machine === 'pump' && profile.output?.guards.maxRunSeconds === null)
      add(bench, {
        id: 'max-run',
        verdict: 'warn',
        title: 'A pump without a longest run',
        figure: 'none',
        limit: '',
        reason: 'Right for drainage, which alarms instead; wrong for watering, which empties the tank.',
        at: place.ref,
      });
  }
  if (draft.outdoors && parts.some(({ profile }) => profile.output))
    add(bench, {
      id: 'wet',
      verdict: 'warn',
      title: 'A relay outdoors',
      figure: 'outdoors',
      limit: 'a box to IP65',
      reason: 'Water near power: residual-current device of 30 mA, drip loops, nothing repaired under power.',
      at: '',
    });
}

/** A node that is cut off between wakes can hold no output and answer nothing; its timer reaches two hours at most. */
function checkWake(bench: Bench): void {
  const { draft, parts, supply } = bench;
  if (supply.battery === null || draft.wake === 'board timer') return;
  const output = parts.find(({ profile }) => profile.output !== null);
  if (output)
    add(bench, {
      id: 'wake',
      verdict: 'fail',
      title: 'Cut off while it holds an output',
      figure: draft.wake,
      limit: 'board timer',
      reason:
        'Between wakes the board has no power: the output falls off. Let the board sleep by its own timer, or feed it from the mains.',
      at: output.place.ref,
      fix: { label: 'Board timer', draft: { ...draft, wake: 'board timer' } },
    });
  if (draft.wake === 'nanopower timer') {
    const ohmsWanted = timerResistorOhms(draft.reportSeconds);
    const fitted = ohmsWanted === null ? null : nearestPreferred(ohmsWanted, 96);
    const period = fitted === null ? null : periodOfResistor(fitted);
    add(bench, {
      id: 'wake',
      verdict: fitted === null || period === null ? 'fail' : 'pass',
      title: 'Resistor of the nanopower timer',
      figure:
        fitted === null || period === null
          ? `${formatNumber(draft.reportSeconds)} s`
          : `${ohms(fitted)}, ${formatNumber(period, period < 100 ? 1 : 0)} s`,
      limit: '1 s to 2 h',
      reason:
        fitted === null || period === null
          ? 'The timer cannot wait so long: report at least every two hours.'
          : `${formatNumber(draft.reportSeconds)} s wants ${ohms(Math.round(ohmsWanted ?? 0))}; the nearest of the E96 row is ${formatNumber(Math.abs((period / draft.reportSeconds - 1) * 100), 1)} % off. By the timer datasheet’s formula.`,
      at: '',
      ...(fitted === null &&
        draft.reportSeconds > 7200 && { fix: { label: 'Report every 2 h', draft: { ...draft, reportSeconds: 7200 } } }),
    });
  }
  const contact = parts.find(({ profile }) => profile.terminals.some((terminal) => terminal.signal === 'contact'));
  if (draft.wake === 'contact pulse' && !contact)
    add(bench, {
      id: 'wake',
      verdict: 'fail',
      title: 'Nothing wakes it',
      figure: 'no contact',
      limit: 'one contact',
      reason: 'A contact pulse circuit powers the board when a contact changes: add one, or wake by a timer.',
      at: '',
      fix: { label: 'Board timer', draft: { ...draft, wake: 'board timer' } },
    });
}

function checkAntenna(bench: Bench, antenna: AntennaProfile | undefined): void {
  const { board, draft } = bench;
  if (!antenna || antenna.onBoard) return;
  add(bench, {
    id: 'antenna',
    verdict: board.radio.antennaConnector ? 'pass' : 'fail',
    title: board.radio.antennaConnector ? 'The antenna fits the board' : 'The board has no connector for an antenna',
    figure: antenna.name,
    limit: board.radio.antennaConnector ? 'antenna connector' : 'antenna on the board only',
    reason: board.radio.antennaConnector
      ? `${formatNumber(antenna.gainDbi, 1)} dBi less ${formatNumber(antenna.cableDb, 1)} dB of cable. Fit it before power.`
      : 'Choose a board with a connector, or keep the antenna it has.',
    at: '',
    ...(!board.radio.antennaConnector && { fix: { label: 'Keep its own', draft: { ...draft, antenna: BOARD_ANTENNA } } }),
  });
}

function checkContacts(bench: Bench): void {
  const { supply, parts, board, draft } = bench;
  // A pulse circuit draws nothing at rest, whichever way the contact stands.
  if (!supply.battery || draft.wake === 'contact pulse') return;
  const budget = (supply.battery.capacityMilliampHours * supply.battery.usable * 1000) / (2 * 8766);
  for (const { place, profile } of parts) {
    if (!profile.terminals.some((terminal) => terminal.signal === 'contact')) continue;
    const ohmsUp = profile.fittedPullUpOhms ?? 1_000_000;
    const drain = pullUpMicroamps(board.logicVolts, ohmsUp);
    add(bench, {
      id: 'contact-leak',
      verdict: drain > 0.1 * budget ? 'fail' : drain > 0.02 * budget ? 'warn' : 'pass',
      title: 'Drain through a closed contact',
      figure: `${formatNumber(drain, 1)} µA through ${ohms(ohmsUp)}`,
      limit: `${formatNumber(0.1 * budget, 1)} µA, a tenth of two years`,
      reason:
        'A door left open, or a contact that rests closed, drains for ever: use the contact pulse circuit, which costs nothing at rest either way.',
      at: place.ref,
    });
  }
}

/** What reaches the pins: pulses faster than are counted, levels too low for the part, a panel too weak for its battery. */
function checkSignals(bench: Bench): void {
  const { board, parts, supply } = bench;
  for (const { place, profile } of parts) {
    for (const terminal of profile.terminals) {
      if (terminal.hertz > 0)
        add(bench, {
          id: 'pulse-rate',
          verdict: terminal.hertz > board.pulseHertz ? 'fail' : terminal.hertz > board.pulseHertz / 2 ? 'warn' : 'pass',
          title: 'Pulses against the input',
          figure: `${formatNumber(terminal.hertz)} Hz`,
          limit: `${formatNumber(board.pulseHertz)} Hz`,
          reason: 'Faster pulses than the input counts are missed, and nobody notices: take a board with a counter, or divide them.',
          at: place.ref,
        });
      const drives = terminal.signal === 'digital-out' || terminal.signal === 'pwm-out';
      if (drives && profile.supplyVolts[0] > board.logicVolts + 0.3 && !profile.output?.driver)
        add(bench, {
          id: 'drive-level',
          // A module on the 5 V rail counts 0.7 of it as high, unless it has its own driver.
          verdict: board.logicVolts < 0.7 * Math.max(5, profile.supplyVolts[0]) ? 'warn' : 'pass',
          title: 'A pin drives a module of more volts',
          figure: `${formatNumber(board.logicVolts, 1)} V at ${terminal.name}`,
          limit: `${formatNumber(0.7 * Math.max(5, profile.supplyVolts[0]), 2)} V, 0.7 of its supply`,
          reason:
            'It may count as high on the bench and not in the cold: put a level shifter between, or take a module for the board’s volts.',
          at: place.ref,
        });
    }
    // A bus notices a failed reading by itself; a voltage is always some voltage.
    const analog = profile.terminals.some((terminal) => terminal.signal === 'analog');
    for (const point of analog ? profile.points : []) {
      const told = point.spikeStep !== null;
      add(bench, {
        id: 'failed-read',
        verdict: told ? 'pass' : 'warn',
        title: `A failed reading of ${point.label.charAt(0).toLowerCase()}${point.label.slice(1)}`,
        figure: told ? `a step over ${formatNumber(point.spikeStep ?? 0, point.decimals)} ${point.unit} is suspect` : 'no largest step',
        limit: `${formatNumber(point.physicalMin)} to ${formatNumber(point.physicalMax)} ${point.unit}`,
        reason: told
          ? 'Outside the range it is bad, a jump or the same value for ever is suspect: a broken wire shows.'
          : 'A broken wire may read as a value within the range: give the profile a largest step, and look at its ends.',
        at: place.ref,
      });
    }
  }
  if (supply.panel)
    add(bench, {
      id: 'panel-volts',
      verdict: supply.panel.volts >= supply.volts[1] + 0.5 ? 'pass' : 'fail',
      title: 'Panel against battery',
      figure: `${formatNumber(supply.panel.volts, 1)} V`,
      limit: `over ${formatNumber(supply.volts[1] + 0.5, 1)} V`,
      reason: 'A panel that gives less than the full battery and its diode never fills it.',
      at: '',
    });
  const ownSupply = parts.find(({ profile }) => profile.supplyVolts[0] > Math.max(board.logicVolts, supply.volts[1]));
  if (ownSupply)
    add(bench, {
      id: 'two-supplies',
      verdict: 'warn',
      title: 'Two supplies on one sheet',
      figure: `${ownSupply.place.ref} needs ${formatNumber(ownSupply.profile.supplyVolts[0], 1)} V`,
      limit: `${formatNumber(supply.volts[1], 1)} V from the sheet’s supply`,
      reason: 'Join the grounds and never the two plus lines; unplug both before rewiring.',
      at: ownSupply.place.ref,
    });
}

function checkHabits(bench: Bench): void {
  const { draft, parts, supply } = bench;
  for (const { place, profile } of parts) {
    if (profile.sampleSeconds > draft.reportSeconds)
      add(bench, {
        id: 'too-fast',
        verdict: 'fail',
        title: 'Asked faster than it can answer',
        figure: `every ${formatNumber(draft.reportSeconds)} s`,
        limit: `${formatNumber(profile.sampleSeconds)} s`,
        reason: 'It repeats old values, or none.',
        at: place.ref,
        fix: { label: `Report every ${formatNumber(profile.sampleSeconds)} s`, draft: { ...draft, reportSeconds: profile.sampleSeconds } },
      });
    if (profile.terminals.some((terminal) => terminal.signal === 'i2c') && draft.cableMetres > 2)
      add(bench, {
        id: 'cable',
        verdict: draft.cableMetres > 5 ? 'fail' : 'warn',
        title: 'A long cable for I²C',
        figure: `${formatNumber(draft.cableMetres, 1)} m`,
        limit: '2 m',
        reason: 'It is meant for a board, not a building: use a single-wire or analog sensor, or slow the bus and twist the pairs.',
        at: place.ref,
      });
  }
  const warmUp = Math.max(0, ...parts.map(({ profile }) => profile.draw.warmUpSeconds));
  if (supply.battery && warmUp > 10)
    add(bench, {
      id: 'warm-up',
      verdict: 'warn',
      title: 'A long warm-up on a battery',
      figure: `${formatNumber(warmUp)} s`,
      limit: '10 s',
      reason: 'Most of the charge goes into waiting: report less often, or feed it from the mains.',
      at: '',
    });
  if (draft.outdoors)
    add(bench, {
      id: 'weather',
      verdict: 'warn',
      title: 'Outdoors',
      figure: 'coat the board',
      limit: 'IP65',
      reason: 'Varnish the board but not connectors and sensing elements; drip loop, strain relief, a vent at the lowest point.',
      at: '',
    });
}
