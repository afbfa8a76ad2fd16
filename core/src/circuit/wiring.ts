import type { Assignment } from './assign';
import type { SheetDraft } from './draft';
import type { BoardProfile, Catalogue } from './profile';
import { singleWirePullUpOhms } from './pull-up';
import { quietLevel } from './assign';

/** One wire: from the board to a terminal, its colour, and what it goes through. */
export interface Wire {
  readonly from: string;
  readonly to: string;
  readonly colour: string;
  readonly through: string;
}

const kilo = (ohms: number): string => `${ohms / 1000} kΩ`;

/** The wires of a sheet, by part: supply and ground first, then signals. Colours are common practice. */
export function wiringOf(draft: SheetDraft, board: BoardProfile, catalogue: Catalogue, assignment: Assignment): Wire[] {
  const wires: Wire[] = [];
  const pinOf = new Map(
    assignment.lines.flatMap((line) =>
      line.terminals.map((terminal) => [`${terminal} ${line.id}`, assignment.pins.get(line.id) ?? ''] as const),
    ),
  );
  for (const { ref, part } of draft.parts) {
    const profile = catalogue.parts.get(part);
    if (!profile) continue;
    const five = profile.supplyVolts[0] > board.logicVolts;
    wires.push({ from: five ? 'board 5 V' : `board ${board.logicVolts} V`, to: `${ref} supply`, colour: 'red', through: 'direct' });
    wires.push({ from: 'board ground', to: `${ref} ground`, colour: 'black', through: 'direct' });
    for (const line of assignment.lines) {
      for (const terminal of line.terminals) {
        if (!terminal.startsWith(`${ref}.`)) continue;
        const pin = pinOf.get(`${terminal} ${line.id}`) ?? '';
        wires.push({
          from: `pin ${pin}`,
          to: terminal.replace('.', ' '),
          colour: COLOUR[line.signal] ?? 'blue',
          through: throughOf(draft, profile.fittedPullUpOhms, line, terminal, quietLevel(profile)),
        });
      }
    }
  }
  return wires;
}

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

function throughOf(
  draft: SheetDraft,
  fitted: number | null,
  line: Assignment['lines'][number],
  terminal: string,
  quiet: 'low' | 'high' | null,
): string {
  const divider = draft.dividers[terminal];
  if (divider)
    return `${kilo(divider.upperOhms)} in series, ${kilo(divider.lowerOhms)} down to ground${divider.switched ? ', switched' : ''}`;
  switch (line.signal) {
    case 'i2c':
      return fitted ? 'direct, pull-up on the module' : '4.7 kΩ up to 3.3 V, once a bus';
    case 'single-wire':
      return `${kilo(singleWirePullUpOhms(draft.cableMetres, line.terminals.length))} up to 3.3 V, once a line`;
    case 'single-bus':
      return fitted ? 'direct, pull-up on the module' : '10 kΩ up to 3.3 V';
    case 'contact':
      return `${fitted ? kilo(fitted) : '1000 kΩ'} up to 3.3 V`;
    case 'digital-out':
    case 'pwm-out':
      return quiet === 'low' ? '10 kΩ down to ground: at rest while it starts' : '10 kΩ up to 3.3 V: at rest while it starts';
    default:
      return 'direct';
  }
}
