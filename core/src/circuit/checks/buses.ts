import { formatNumber } from '../../quantity';
import { I2C_RISE_NANOSECONDS, i2cPullUpMaxOhms, i2cPullUpMinOhms, singleWirePullUpOhms } from '../sheet/pull-up';
import { ohmsText, type Bench, type Check } from './check';

/** Capacitance of a bus, pF: common practice 10 a device, 50 a metre of cable, 20 for the board. */
const busPicofarads = (devices: number, metres: number): number => 20 + 10 * devices + 50 * metres;
const DEFAULT_BUS_OHMS = 4700;

/** Pull-ups of buses against their specification, buses beyond the first, the pull-up of a single wire. */
export function checkBuses({ assignment, board, draft, parts }: Bench): Check[] {
  if (!assignment) return [];
  const found: Check[] = [];
  const buses = new Set(assignment.lines.filter((line) => line.signal === 'i2c').map((line) => line.id.split('.')[0] ?? ''));
  for (const bus of buses) {
    const refs = assignment.lines.find((line) => line.id === `${bus}.data`)?.terminals.map((id) => id.split('.')[0] ?? '') ?? [];
    const members = parts.filter(({ place }) => refs.includes(place.ref));
    const own = bus === 'i2c-1' && board.i2cPullUpOhms !== null ? [board.i2cPullUpOhms] : [];
    const fitted = [...own, ...members.flatMap(({ profile }) => profile.fittedPullUpOhms ?? [])];
    const total = fitted.length > 0 ? 1 / fitted.reduce((sum, one) => sum + 1 / one, 0) : DEFAULT_BUS_OHMS;
    const farads = busPicofarads(members.length, draft.cableMetres);
    const low = i2cPullUpMinOhms(board.logicVolts, 0.4, 3);
    const high = i2cPullUpMaxOhms(I2C_RISE_NANOSECONDS.standard, farads);
    const verdict = total < low || total > high || farads > 400 ? 'fail' : 'pass';
    const how = fitted.length > 0 ? `${fitted.length} fitted` : `${ohmsText(DEFAULT_BUS_OHMS)} to add`;
    const cure = total < low ? 'take the pull-ups off some modules' : farads > 400 ? 'shorten the cable' : 'add a smaller one';
    found.push({
      id: 'i2c-pull-up',
      verdict,
      title: `Pull-up of ${bus}`,
      figure: `${ohmsText(Math.round(total))} (${how})`,
      limit: `${ohmsText(Math.round(low))} to ${ohmsText(Math.round(high))} at ${formatNumber(farads)} pF`,
      reason:
        verdict === 'pass'
          ? 'Within the bus specification at 100 kHz (UM10204).'
          : `Outside the bus specification at 100 kHz (UM10204): ${cure}.`,
      at: refs[0] ?? '',
    });
  }
  if (buses.size > 1)
    found.push({
      id: 'i2c-second',
      verdict: 'warn',
      title: 'A second bus is needed',
      figure: `${buses.size} buses`,
      limit: '1',
      reason: 'Addresses clash and cannot be set apart: the firmware must open both.',
      at: '',
    });
  for (const line of assignment.lines.filter((one) => one.signal === 'single-wire'))
    found.push({
      id: 'single-wire',
      verdict: draft.cableMetres > 100 ? 'warn' : 'pass',
      title: 'Pull-up of the single wire',
      figure: ohmsText(singleWirePullUpOhms(draft.cableMetres, line.terminals.length)),
      limit: `${line.terminals.length} on ${formatNumber(draft.cableMetres, 1)} m`,
      reason: 'By length and count; common practice.',
      at: line.terminals[0]?.split('.')[0] ?? '',
    });
  return found;
}
