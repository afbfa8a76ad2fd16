import { sleeps, type SheetDraft } from './draft';
import { busesOf, linesOf, pinSuits, type Line } from './lines';
import { cheapestMatching } from './matching';
import type { BoardProfile, Catalogue, Pin, Port } from '../profile';

export interface Assignment {
  /** Line → pin. */
  readonly pins: ReadonlyMap<string, string>;
  readonly lines: readonly Line[];
  /** Part ref → address on its bus. */
  readonly addresses: ReadonlyMap<string, number>;
}

export type AssignResult =
  | { readonly ok: true; readonly assignment: Assignment }
  /** The smallest set of parts (by ref) that cannot stand together, and what they need. */
  | { readonly ok: false; readonly conflict: readonly string[]; readonly why: string };

/** Does the board of this sheet sleep by its own timer? */
const sleepsByTimer = (draft: SheetDraft, catalogue: Catalogue): boolean => {
  const supply = catalogue.supplies.get(draft.supply);
  return supply !== undefined && draft.wake === 'board timer' && sleeps(draft, supply);
};

/** How much one would rather not use this pin for this line: straps last, rare abilities kept for those that need them. */
function reluctance(line: Line, pin: Pin): number {
  const wasted = pin.can.filter(
    (capability) => !['in', 'out', 'uart', 'i2c'].includes(capability) && !line.needs.includes(capability),
  ).length;
  const analogWasted = line.signal !== 'analog' && pin.can.some((capability) => capability === 'adc1' || capability === 'adc2') ? 2 : 0;
  return (pin.strap !== null ? 100 : 0) + (pin.atStart === 'high' || pin.atStart === 'pulses' ? 20 : 0) + wasted + analogWasted;
}

/** Which port each bus or serial part gets: every way that differs, ports alike counted once. */
function* waysOf(ports: readonly Port[], users: readonly string[]): Generator<ReadonlyMap<string, Port>> {
  const [user, ...rest] = users;
  if (user === undefined) {
    yield new Map();
    return;
  }
  const tried = new Set<string>();
  for (const [i, port] of ports.entries()) {
    const kind = JSON.stringify(port);
    if (tried.has(kind)) continue;
    tried.add(kind);
    for (const others of waysOf(ports.toSpliced(i, 1), rest)) yield new Map([[user, port], ...others]);
  }
}

const usersOf = (lines: readonly Line[], kind: 'i2c' | 'uart'): string[] => [
  ...new Set(lines.flatMap((line) => (line.port?.kind === kind ? [line.port.of] : []))),
];

/** The cheapest pins of these lines, or the lines that cannot stand together. */
function solve(
  board: BoardProfile,
  lines: readonly Line[],
  draft: SheetDraft,
  asleep: boolean,
): { ok: true; pins: Map<string, string> } | { ok: false; lines: readonly Line[] } {
  let best: { pins: Map<string, string>; cost: number } | null = null;
  let stuck: readonly Line[] | null = null;
  for (const i2c of waysOf(board.ports.i2c, usersOf(lines, 'i2c')))
    for (const uart of waysOf(board.ports.uart, usersOf(lines, 'uart'))) {
      const costs = lines.map((line) => {
        const kept = draft.fixed[line.id];
        const port = line.port && (line.port.kind === 'i2c' ? i2c : uart).get(line.port.of);
        const only = port?.[line.port?.wire ?? 'first'] ?? null;
        return board.pins.map((pin) => {
          if (kept !== undefined) return pin.name === kept ? 0 : Infinity;
          if (!pinSuits(board, line, pin, asleep) || (only && !only.includes(pin.name))) return Infinity;
          return draft.given[line.id] === pin.name ? 0 : 1 + reluctance(line, pin);
        });
      });
      const found = cheapestMatching(costs);
      if (found.ok && (best === null || found.cost < best.cost))
        best = { cost: found.cost, pins: new Map(lines.map((line, i) => [line.id, board.pins[found.columns[i] ?? -1]?.name ?? ''])) };
      if (!found.ok) {
        const rows = found.rows.flatMap((row) => lines[row] ?? []);
        if (stuck === null || rows.length < stuck.length) stuck = rows;
      }
    }
  return best ? { ok: true, pins: best.pins } : { ok: false, lines: stuck ?? lines.filter((line) => line.port) };
}

/**
 * Finds a pin for every line, the least precious that serve, pins kept by hand and those of the version before first; exact, by
 * matching. Where nothing fits, the smallest set of parts that cannot stand together.
 */
export function assignPins(draft: SheetDraft, catalogue: Catalogue): AssignResult {
  const board = catalogue.boards.get(draft.board);
  if (!board) return { ok: false, conflict: [], why: `there is no board ${draft.board}` };
  const asleep = sleepsByTimer(draft, catalogue);
  const { lines, addresses } = linesOf(draft, catalogue);
  const solved = solve(board, lines, draft, asleep);
  if (solved.ok) return { ok: true, assignment: { pins: solved.pins, lines, addresses } };
  const fits = (parts: SheetDraft['parts']): boolean => solve(board, linesOf({ ...draft, parts }, catalogue).lines, draft, asleep).ok;
  // The lines that got stuck name the parts to begin with; where those fit by themselves, all of them do.
  const named = draft.parts.filter((place) => solved.lines.some((line) => refsOf(line, draft, catalogue).includes(place.ref)));
  let parts = named.length > 0 && !fits(named) ? named : draft.parts;
  for (const place of parts) {
    const without = parts.filter((one) => one !== place);
    if (!fits(without)) parts = without;
  }
  return { ok: false, conflict: parts.map((place) => place.ref), why: reasonOf(board, { ...draft, parts }, catalogue, asleep) };
}

function refsOf(line: Line, draft: SheetDraft, catalogue: Catalogue): string[] {
  if (line.port?.kind === 'i2c' && busesOf(draft, catalogue).buses.length > 1)
    return draft.parts
      .filter(({ part }) => catalogue.parts.get(part)?.terminals.some(({ signal }) => signal === 'i2c'))
      .map(({ ref }) => ref);
  return line.terminals.map((terminal) => terminal.split('.')[0] ?? '');
}

/** Why the parts of a smallest conflict cannot stand together, and what would help. */
function reasonOf(board: BoardProfile, draft: SheetDraft, catalogue: Catalogue, asleep: boolean): string {
  const { lines } = linesOf(draft, catalogue);
  const kept = lines.filter((line) => draft.fixed[line.id] !== undefined);
  const clash = kept.find((line, i) => kept.findIndex((other) => draft.fixed[other.id] === draft.fixed[line.id]) !== i);
  if (clash) {
    const pin = draft.fixed[clash.id] ?? '';
    const both = kept.filter((line) => draft.fixed[line.id] === pin).map((line) => line.id);
    return `${both.join(' and ')} are both kept on pin ${pin}: let one of them go`;
  }
  const gone = kept.find((line) => !board.pins.some((pin) => pin.name === draft.fixed[line.id]));
  if (gone) return `${gone.id} is kept on pin ${draft.fixed[gone.id] ?? ''}, which ${board.name} does not have: let it go`;
  for (const [kind, words] of [
    ['uart', 'serial parts'],
    ['i2c', 'I²C buses'],
  ] as const) {
    const users = usersOf(lines, kind).length;
    const ports = board.ports[kind].length;
    if (users > ports)
      return `${users} ${words} and the board has ${ports === 0 ? 'no port for them' : ports === 1 ? 'one port' : `${ports} ports`} besides the one it is written through: choose a board with more${kind === 'i2c' ? ', or parts whose address can be set' : ', or a part on the I²C bus'}`;
  }
  const open = (line: Line): number => board.pins.filter((pin) => pinSuits(board, line, pin, asleep)).length;
  const alike = (line: Line, other: Line): boolean =>
    other.signal === line.signal && other.safeAtStart === line.safeAtStart && other.needs.join() === line.needs.join();
  const tightest = lines
    .map((line) => ({ line, rivals: lines.filter((other) => alike(line, other)).length, open: open(line) }))
    .sort((a, b) => a.open - a.rivals - (b.open - b.rivals))[0];
  if (!tightest) return 'pins kept by hand leave no room: let one of them go';
  const { line, rivals } = tightest;
  if (tightest.open >= rivals && kept.length > 0)
    return `pins kept by hand (${kept.map((one) => one.id).join(', ')}) leave no room: let one of them go`;
  const wakes = line.needs.includes('wake');
  const extra =
    line.signal === 'analog'
      ? ': add the external converter on the I²C bus, or choose a board with more'
      : wakes
        ? ': nothing at another pin ends its sleep. Let a contact pulse circuit with a timer switch it on, feed it from the mains, or choose a board with more'
        : ': choose a board with more';
  const pins = `${tightest.open === 0 ? 'no' : tightest.open} pin${tightest.open === 1 ? '' : 's'}`;
  return `${rivals} ${rivals === 1 ? 'line needs' : 'lines need'} ${wakes ? 'a pin that wakes' : line.signal} and the board has ${pins} for ${rivals === 1 ? 'it' : 'them'}${extra}`;
}
