import { formatNumber } from '../../quantity';
import {
  dividerInputFor,
  dividerMicroamps,
  dividerToleranceErrorPercent,
  dividerVolts,
  lsbMillivolts,
  parallelOhms,
} from '../sheet/divider';
import type { DraftPart } from '../sheet/draft';
import { nearestPreferred } from '../sheet/preferred';
import { feedOf, packVolts, pinVoltsMax, type PartProfile, type SupplyProfile, type Terminal } from '../profile';
import { railFor } from '../sheet/rails';
import { ohmsText, withPart, type Bench, type Check } from './check';

/** A cable longer than this picks up noise into an analog input, m. Common practice. */
const ANALOG_CABLE_METRES = 3;

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

/** Highest volts that an analog terminal gives on this sheet: of the node's own supply, of what it hangs on, or of the part itself. */
export function terminalVolts(place: DraftPart, profile: PartProfile, terminal: Terminal, supply: SupplyProfile): number {
  if (profile.measures === 'own supply') return packVolts(supply)[1];
  if (feedOf(profile) === 'source' && place.hangsOn !== undefined) return place.hangsOn;
  return terminal.volts;
}

/** Volts, resolution and source resistance of every analog input. */
export function checkAnalog(bench: Bench): Check[] {
  const { board, draft, parts, supply } = bench;
  const found: Check[] = [];
  const { fullScaleVolts, bits, sourceOhmsMax } = board.adc;
  for (const { place, profile } of parts) {
    for (const terminal of profile.terminals.filter((one) => one.signal === 'analog')) {
      const id = `${place.ref}.${terminal.name}`;
      const divider = draft.dividers[id];
      const input = terminalVolts(place, profile, terminal, supply);
      const volts = divider ? dividerVolts(input, divider.upperOhms, divider.lowerOhms) : input;
      const source = divider ? parallelOhms(divider.upperOhms, divider.lowerOhms) : terminal.sourceOhms;
      if (volts > fullScaleVolts * 1.001) {
        // Only a divider across the node's own battery drains it.
        const proposed = proposeDivider({ volts: input }, fullScaleVolts, bench.asleep && profile.measures === 'own supply');
        const ruins = volts > Math.max(pinVoltsMax(board), fullScaleVolts + 0.3);
        found.push({
          id: 'adc-range',
          verdict: 'fail',
          title: ruins ? 'More volts than the pin survives' : 'More volts than the converter takes',
          figure: `${formatNumber(volts, 2)} V`,
          limit: ruins ? `${formatNumber(pinVoltsMax(board), 1)} V at any pin` : `${formatNumber(fullScaleVolts, 2)} V full scale`,
          at: place.ref,
          reason: `${ruins ? 'It destroys the pin, and perhaps the board.' : 'Everything above reads as full scale.'} ${ohmsText(proposed.upperOhms)} over ${ohmsText(proposed.lowerOhms)} takes ${formatNumber(dividerInputFor(fullScaleVolts, proposed.upperOhms, proposed.lowerOhms), 2)} V; with 1 % parts off by at most ${formatNumber(dividerToleranceErrorPercent(proposed.upperOhms, proposed.lowerOhms, 1), 1)} %, it draws ${formatNumber(dividerMicroamps(input, proposed.upperOhms, proposed.lowerOhms), 1)} µA${proposed.switched ? ' and is switched on only to measure' : ''}.`,
          fix: {
            label: divider ? 'Take this divider' : 'Add the divider',
            draft: { ...draft, dividers: { ...draft.dividers, [id]: proposed } },
          },
        });
      } else {
        const [point] = profile.points;
        const count = point ? (point.max - point.min) / (2 ** bits * (volts / fullScaleVolts)) : 0;
        const resolution = point
          ? `${formatNumber(count, Math.max(0, Math.min(4, 1 - Math.floor(Math.log10(count)))))} ${point.unit} a count`
          : `${formatNumber(lsbMillivolts(fullScaleVolts, bits), 2)} mV a count`;
        found.push({
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
        found.push({
          id: 'adc-source',
          verdict: 'warn',
          title: 'A weak source for the converter',
          figure: ohmsText(Math.round(source)),
          limit: ohmsText(sourceOhmsMax),
          reason: 'The converter’s own capacitor is not filled in time: put 100 nF from the pin to ground, or wait before reading.',
          at: place.ref,
        });
      if (draft.cableMetres > ANALOG_CABLE_METRES && profile.measures !== 'own supply')
        found.push({
          id: 'analog-cable',
          verdict: 'warn',
          title: 'A long cable for an analog part',
          figure: `${formatNumber(draft.cableMetres, 1)} m`,
          limit: `${ANALOG_CABLE_METRES} m`,
          reason:
            'It picks up noise, and its own resistance and the ground’s drop are measured along: put the converter at the part, or take one with a bus made for it.',
          at: place.ref,
        });
    }
  }
  return found;
}

/** Parts that measure another supply: up to which voltage, and whether that was said. */
export function checkMeasured({ draft, parts }: Bench): Check[] {
  return parts.flatMap(({ place, profile }): Check[] => {
    const most = profile.measuresVoltsMax;
    if (most === null) return [];
    const hangsOn = place.hangsOn ?? null;
    const verdict = hangsOn === null || hangsOn > most ? 'fail' : 'pass';
    return [
      {
        id: 'measured-volts',
        verdict,
        title:
          hangsOn === null
            ? 'What does it hang on?'
            : verdict === 'fail'
              ? 'It hangs on more volts than it survives'
              : 'It survives what it hangs on',
        figure: hangsOn === null ? 'not said' : `${formatNumber(hangsOn, 1)} V`,
        limit: `${formatNumber(most, 1)} V`,
        reason:
          hangsOn === null
            ? 'Say the highest voltage it will see, charging included: a 12 V bank charges at 14.4 V, a 24 V bank at 28 to 29 V.'
            : verdict === 'fail'
              ? 'It is destroyed the first time the bank is charged: take one that measures higher, or a divider with a fuse.'
              : 'Charging included, as it was said.',
        at: place.ref,
        ...(hangsOn === null && most >= 14.4 && { fix: { label: 'A 12 V bank', draft: withPart(draft, place.ref, { hangsOn: 14.4 }) } }),
      },
    ];
  });
}

/** Analog rails: a converter reads wrong where part and board do not share the volts it was scaled by. */
export function checkRatio({ board, parts, supply }: Bench): Check[] {
  return parts.flatMap(({ place, profile }): Check[] => {
    if (feedOf(profile) !== 'resistor' || profile.seriesOhms === null) return [];
    const rail = railFor(profile, board, supply);
    if (!rail || rail.kind === 'logic') return [];
    return [
      {
        id: 'ratio',
        verdict: 'warn',
        title: 'Fed from another voltage than it is measured by',
        figure: rail.net,
        limit: `board ${board.logicVolts} V`,
        reason: 'Every change of that supply shows as a change of the reading.',
        at: place.ref,
      },
    ];
  });
}
