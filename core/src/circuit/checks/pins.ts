import { counted } from '../../quantity';
import { pinSuits } from '../sheet/lines';
import type { Bench, Check } from './check';

/** Pins kept by hand where they cannot be, straps, and whether every line has a pin. */
export function checkPins({ assignment, board, draft, asleep }: Bench): Check[] {
  if (!assignment) return [];
  const found: Check[] = [];
  const straps = [...assignment.pins].filter(([, name]) => board.pins.find((pin) => pin.name === name)?.strap !== null);
  const byTimer = asleep && draft.wake === 'board timer';
  for (const line of assignment.lines) {
    const pin = board.pins.find((one) => one.name === assignment.pins.get(line.id));
    if (!pin || draft.fixed[line.id] === undefined || pinSuits(board, line, pin, byTimer)) continue;
    const missing = line.needs.filter((capability) => !pin.can.includes(capability));
    const why = pin.reserved
      ? `the board needs it for its ${pin.reserved}`
      : byTimer && pin.wakesByTimer
        ? 'its sleep timer wakes the board through it'
        : missing.includes('out')
          ? 'it can only read'
          : missing.length > 0
            ? `it has no ${missing.join(', ')}`
            : line.safeAtStart
              ? `at the start it stands ${pin.atStart}, and the output would move`
              : 'the radio takes its analog unit';
    found.push({
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
  if (found.length === 0 && assignment.pins.size > 0)
    found.push({
      id: 'pins',
      verdict: 'pass',
      title: 'Every line has a pin',
      figure: counted(assignment.pins.size, 'line'),
      limit: counted(board.pins.filter((pin) => pin.reserved === null).length, 'pin'),
      reason: 'Each pin can do what its line needs, none is used twice.',
      at: '',
    });
  if (straps.length > 0)
    found.push({
      id: 'strap',
      verdict: 'warn',
      title: 'A boot-strap pin is used',
      figure: straps.map(([line, pin]) => `${pin}: ${line}`).join(', '),
      limit: straps.map(([, pin]) => `${pin} ${board.pins.find((one) => one.name === pin)?.strap ?? ''} at start`).join(', '),
      reason: 'The board starts wrongly when the part pulls it to the other level: try a start with the part fitted.',
      at: straps[0]?.[0] ?? '',
    });
  return found;
}
