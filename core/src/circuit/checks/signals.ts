import { formatNumber } from '../../quantity';
import { BOARD_ANTENNA } from '../profile';
import { drives, type Bench, type Check } from './check';

/** What reaches the pins: pulses faster than are counted, levels too low for a module, wires that break unseen. */
export function checkSignals({ board, parts, supply }: Bench): Check[] {
  return parts.flatMap(({ place, profile }): Check[] => {
    const found: Check[] = [];
    for (const terminal of profile.terminals) {
      if (terminal.hertz > 0)
        found.push({
          id: 'pulse-rate',
          verdict: terminal.hertz > board.pulseHertz ? 'fail' : terminal.hertz > board.pulseHertz / 2 ? 'warn' : 'pass',
          title: 'Pulses against the input',
          figure: `${formatNumber(terminal.hertz)} Hz`,
          limit: `${formatNumber(board.pulseHertz)} Hz`,
          reason: 'Faster pulses than the input counts are missed, and nobody notices: take a board with a counter, or divide them.',
          at: place.ref,
        });
      const driven = terminal.signal === 'digital-out' || terminal.signal === 'pwm-out';
      if (driven && profile.supplyVolts[0] > board.logicVolts + 0.3 && !drives(profile))
        found.push({
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
      const watched = point.spikeStep !== null;
      found.push({
        id: 'failed-read',
        verdict: watched ? 'pass' : 'warn',
        title: `A failed reading of ${point.label.charAt(0).toLowerCase()}${point.label.slice(1)}`,
        figure: watched ? `a step over ${formatNumber(point.spikeStep ?? 0, point.decimals)} ${point.unit} is suspect` : 'no largest step',
        limit: `${formatNumber(point.physicalMin)} to ${formatNumber(point.physicalMax)} ${point.unit}`,
        reason: watched
          ? 'Outside the range it is bad, a jump is suspect: a broken wire shows.'
          : 'A broken wire may read as a value within the range: give the profile a largest step, and look at its ends.',
        at: place.ref,
      });
    }
    if (supply.battery === null && profile.measures === 'own supply')
      found.push({
        id: 'no-battery',
        verdict: 'warn',
        title: 'No battery to measure',
        figure: supply.name,
        limit: 'a battery',
        reason: 'It would measure the mains supply: leave it out, or choose the battery that this node has.',
        at: place.ref,
      });
    return found;
  });
}

/** Habits of building: how often, how long a cable, where it hangs. */
export function checkHabits({ draft, parts }: Bench): Check[] {
  const found: Check[] = [];
  for (const { place, profile } of parts) {
    if (profile.sampleSeconds > draft.reportSeconds)
      found.push({
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
      found.push({
        id: 'cable',
        verdict: draft.cableMetres > 5 ? 'fail' : 'warn',
        title: 'A long cable for I²C',
        figure: `${formatNumber(draft.cableMetres, 1)} m`,
        limit: '2 m',
        reason: 'It is meant for a board, not a building: use a single-wire or analog sensor, or slow the bus and twist the pairs.',
        at: place.ref,
      });
  }
  if (draft.outdoors)
    found.push({
      id: 'weather',
      verdict: 'warn',
      reminder: true,
      title: 'Outdoors',
      figure: 'coat the board',
      limit: 'IP65',
      reason: 'Varnish the board but not connectors and sensing elements; drip loop, strain relief, a vent at the lowest point.',
      at: '',
    });
  return found;
}

/** An antenna that needs a connector. */
export function checkAntenna({ board, catalogue, draft }: Bench): Check[] {
  const antenna = catalogue.antennas.get(draft.antenna);
  if (!antenna || antenna.onBoard) return [];
  const fits = board.radio.antennaConnector;
  return [
    {
      id: 'antenna',
      verdict: fits ? 'pass' : 'fail',
      title: fits ? 'The antenna fits the board' : 'The board has no connector for an antenna',
      figure: antenna.name,
      limit: fits ? 'antenna connector' : 'antenna on the board only',
      reason: fits
        ? `${formatNumber(antenna.gainDbi, 1)} dBi less ${formatNumber(antenna.cableDb, 1)} dB of cable. Fit it before power.`
        : 'Choose a board with a connector, or keep the antenna it has.',
      at: '',
      ...(!fits && { fix: { label: 'Keep its own', draft: { ...draft, antenna: BOARD_ANTENNA } } }),
    },
  ];
}
