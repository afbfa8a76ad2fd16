import type { SheetDraft } from './draft';
import type { BoardProfile, Capability, Catalogue, PartProfile, Pin, Signal } from './profile';

/** One line that needs a pin of its own: a bus counts once, whatever hangs on it. */
export interface Line {
  /** `ref.terminal`, or the bus: `i2c-1.data`, `single-wire-1`. */
  readonly id: string;
  readonly needs: readonly Capability[];
  /** Welcome but not needed. */
  readonly likes: readonly Capability[];
  readonly signal: Signal;
  /** The level at start that keeps a load off; `null`: no matter. */
  readonly safeAtStart: 'low' | 'high' | null;
  /** Terminals (`ref.terminal`) joined by it. */
  readonly terminals: readonly string[];
}

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

const NEEDS: Record<Exclude<Signal, 'i2c' | 'uart'>, readonly Capability[]> = {
  'single-wire': ['in', 'out'],
  'single-bus': ['in', 'out'],
  analog: [],
  'digital-in': ['in'],
  'pulse-in': ['in'],
  contact: ['in'],
  'digital-out': ['out'],
  'pwm-out': ['out', 'pwm'],
};
/** Sensors that share one single-wire line: common practice. */
const SINGLE_WIRE_SHARE = 10;

/** The lines of a draft, buses shared, and the addresses on them; a clash of addresses opens a second bus. */
export function linesOf(draft: SheetDraft, catalogue: Catalogue, battery: boolean): { lines: Line[]; addresses: Map<string, number> } {
  const lines: Line[] = [];
  const addresses = new Map<string, number>();
  const buses: Set<number>[] = [];
  const busMembers: string[][] = [];
  const singleWire: string[] = [];
  const parts = draft.parts.flatMap(({ ref, part }) => {
    const profile = catalogue.parts.get(part);
    return profile ? [{ ref, profile }] : [];
  });
  // Parts with the fewest addresses choose first.
  for (const { ref, profile } of [...parts].sort((a, b) => (a.profile.i2cAddresses.length || 9) - (b.profile.i2cAddresses.length || 9))) {
    if (!profile.terminals.some((terminal) => terminal.signal === 'i2c')) continue;
    const wanted = profile.i2cAddresses.length > 0 ? profile.i2cAddresses : [0x40];
    let bus = buses.findIndex((taken) => wanted.some((address) => !taken.has(address)));
    if (bus === -1) bus = buses.push(new Set()) - 1;
    const address = wanted.find((one) => !buses[bus]?.has(one)) ?? wanted[0] ?? 0x40;
    buses[bus]?.add(address);
    (busMembers[bus] ??= []).push(ref);
    addresses.set(ref, address);
  }
  busMembers.forEach((refs, i) => {
    for (const wire of ['data', 'clock'])
      lines.push({
        id: `i2c-${i + 1}.${wire}`,
        needs: ['i2c'],
        likes: [],
        signal: 'i2c',
        safeAtStart: null,
        terminals: refs.map((ref) => `${ref}.${wire}`),
      });
  });
  for (const { ref, profile } of parts) {
    const quiet = quietLevel(profile);
    for (const terminal of profile.terminals) {
      const id = `${ref}.${terminal.name}`;
      if (terminal.signal === 'i2c') continue;
      if (terminal.signal === 'single-wire') singleWire.push(id);
      else if (terminal.signal === 'uart') {
        lines.push({ id: `${id}-in`, needs: ['in', 'uart'], likes: [], signal: 'uart', safeAtStart: null, terminals: [id] });
        lines.push({ id: `${id}-out`, needs: ['out', 'uart'], likes: [], signal: 'uart', safeAtStart: null, terminals: [id] });
      } else {
        const wakes = battery && (terminal.signal === 'contact' || terminal.signal === 'pulse-in');
        const output = terminal.signal === 'digital-out' || terminal.signal === 'pwm-out';
        lines.push({
          id,
          needs: [...NEEDS[terminal.signal], ...(wakes ? (['wake'] as const) : [])],
          likes: [],
          signal: terminal.signal,
          safeAtStart: output ? quiet : null,
          terminals: [id],
        });
      }
    }
  }
  for (let i = 0; i < singleWire.length; i += SINGLE_WIRE_SHARE) {
    lines.push({
      id: `single-wire-${i / SINGLE_WIRE_SHARE + 1}`,
      needs: NEEDS['single-wire'],
      likes: [],
      signal: 'single-wire',
      safeAtStart: null,
      terminals: singleWire.slice(i, i + SINGLE_WIRE_SHARE),
    });
  }
  return { lines, addresses };
}

/** The level that leaves an output at rest. */
export const quietLevel = (part: PartProfile): 'low' | 'high' | null =>
  part.output === null ? null : part.output.activeLevel === 'high' ? 'low' : 'high';

/** May this line use this pin at all? */
export function pinSuits(board: BoardProfile, line: Line, pin: Pin): boolean {
  if (pin.reserved !== null) return false;
  if (!line.needs.every((capability) => pin.can.includes(capability))) return false;
  if (line.signal === 'analog') {
    const units = (['adc1', 'adc2'] as const).filter((unit) => unit !== board.adc.unitLostToRadio);
    if (!units.some((unit) => pin.can.includes(unit))) return false;
  }
  // A pin that the board needs at another level while it starts cannot hold an output at rest, and a relay must not click at every start.
  if (line.safeAtStart !== null) {
    if (pin.atStart === 'pulses' || (pin.atStart !== 'floating' && pin.atStart !== line.safeAtStart)) return false;
    if (pin.strap !== null && pin.strap !== line.safeAtStart) return false;
  }
  return true;
}

/** How much one would rather not use this pin for this line: straps last, rare abilities kept for those that need them. */
function reluctance(line: Line, pin: Pin): number {
  const wasted = pin.can.filter((capability) => capability !== 'in' && capability !== 'out' && !line.needs.includes(capability)).length;
  const analogWasted = line.signal !== 'analog' && pin.can.some((capability) => capability === 'adc1' || capability === 'adc2') ? 2 : 0;
  return (pin.strap !== null ? 100 : 0) + (pin.atStart === 'high' || pin.atStart === 'pulses' ? 20 : 0) + wasted + analogWasted;
}

/**
 * Finds a pin for every line: the line with the fewest pins left first, its least precious pin first, back where it leads
 * nowhere. Pins kept by hand stay. Where nothing fits, the smallest set of parts that cannot stand together.
 */
export function assignPins(draft: SheetDraft, catalogue: Catalogue, battery: boolean): AssignResult {
  const board = catalogue.boards.get(draft.board);
  if (!board) return { ok: false, conflict: [], why: `there is no board ${draft.board}` };
  const { lines, addresses } = linesOf(draft, catalogue, battery);
  const pins = search(board, lines, draft.fixed);
  if (pins) return { ok: true, assignment: { pins, lines, addresses } };
  const conflict = smallestConflict(board, draft, catalogue, battery);
  return { ok: false, conflict, why: reasonOf(board, draft, catalogue, battery, conflict) };
}

function search(board: BoardProfile, lines: readonly Line[], fixed: Readonly<Record<string, string>>): Map<string, string> | null {
  const domains = new Map<string, Pin[]>();
  for (const line of lines) {
    const kept = fixed[line.id];
    const suits = board.pins.filter((pin) => (kept === undefined ? pinSuits(board, line, pin) : pin.name === kept));
    domains.set(
      line.id,
      suits.sort((a, b) => reluctance(line, a) - reluctance(line, b)),
    );
  }
  const chosen = new Map<string, string>();
  const used = new Set<string>();
  let steps = 0;
  const place = (left: readonly Line[]): boolean => {
    if (left.length === 0) return true;
    if (++steps > 50_000) return false;
    let next: Line | undefined;
    let fewest = Infinity;
    for (const line of left) {
      const open = (domains.get(line.id) ?? []).reduce((n, pin) => n + (used.has(pin.name) ? 0 : 1), 0);
      if (open < fewest) [next, fewest] = [line, open];
    }
    if (!next || fewest === 0) return false;
    const line = next;
    const rest = left.filter((one) => one !== line);
    for (const pin of domains.get(line.id) ?? []) {
      if (used.has(pin.name)) continue;
      used.add(pin.name);
      chosen.set(line.id, pin.name);
      if (place(rest)) return true;
      used.delete(pin.name);
      chosen.delete(line.id);
    }
    return false;
  };
  return place(lines) ? chosen : null;
}

/** Takes parts away one by one as long as what is left still does not fit: what remains is a smallest conflict. */
function smallestConflict(board: BoardProfile, draft: SheetDraft, catalogue: Catalogue, battery: boolean): string[] {
  let parts = draft.parts;
  for (const part of draft.parts) {
    const without = parts.filter((one) => one !== part);
    if (search(board, linesOf({ ...draft, parts: without }, catalogue, battery).lines, draft.fixed) === null) parts = without;
  }
  return parts.map((part) => part.ref);
}

function reasonOf(board: BoardProfile, draft: SheetDraft, catalogue: Catalogue, battery: boolean, conflict: readonly string[]): string {
  const parts = draft.parts.filter((part) => conflict.includes(part.ref));
  const { lines } = linesOf({ ...draft, parts }, catalogue, battery);
  const tightest = lines
    .map((line) => ({
      line,
      rivals: lines.filter((other) => other.signal === line.signal && other.safeAtStart === line.safeAtStart).length,
      open: board.pins.filter((pin) => pinSuits(board, line, pin)).length,
    }))
    .sort((a, b) => a.open - a.rivals - (b.open - b.rivals))[0];
  if (!tightest) return 'pins kept by hand leave no room: let one of them go';
  const { line, open, rivals } = tightest;
  const extra =
    line.signal === 'analog'
      ? ': add the external converter on the I²C bus, or choose a board with more'
      : line.needs.includes('wake')
        ? ': feed the node from the mains, or choose a board with more'
        : ': choose a board with more';
  return `${rivals} ${rivals === 1 ? 'line needs' : 'lines need'} ${line.signal} and the board has ${open} pin${open === 1 ? '' : 's'} for ${rivals === 1 ? 'it' : 'them'}${extra}`;
}
