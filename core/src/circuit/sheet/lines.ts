import { sleeps, type SheetDraft } from './draft';
import { cheapestMatching } from './matching';
import type { BoardProfile, Capability, Catalogue, PartProfile, Pin, Signal } from '../profile';

/** One line that needs a pin of its own: a bus counts once, whatever hangs on it. */
export interface Line {
  /** `ref.terminal`, or the bus: `i2c-1.data`, `single-wire-1`. A switched supply is `ref.feed`, a switched divider `ref.terminal-switch`. */
  readonly id: string;
  readonly needs: readonly Capability[];
  readonly signal: Signal;
  /** The level at start that keeps a load off; `null`: no matter. */
  readonly safeAtStart: 'low' | 'high' | null;
  /** Terminals (`ref.terminal`) joined by it. */
  readonly terminals: readonly string[];
  /** Its bus or serial part, and which of the two wires: first is data or receive (seen from the board), second clock or transmit. */
  readonly port?: { readonly kind: 'i2c' | 'uart'; readonly of: string; readonly wire: 'first' | 'second' };
}

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

/** The level that leaves an output at rest. */
export const quietLevel = (part: PartProfile): 'low' | 'high' | null =>
  part.output === null ? null : part.output.activeLevel === 'high' ? 'low' : 'high';

/** Parts by bus, as few buses as their addresses allow, and the address of each: exact, not first come first served. */
export function busesOf(draft: SheetDraft, catalogue: Catalogue): { buses: string[][]; addresses: Map<string, number> } {
  const parts = draft.parts.flatMap(({ ref, part }) => {
    const profile = catalogue.parts.get(part);
    if (!profile?.terminals.some((terminal) => terminal.signal === 'i2c')) return [];
    return [{ ref, wanted: profile.i2cAddresses.length > 0 ? profile.i2cAddresses : [0x40] }];
  });
  const match = (members: typeof parts): number[] | null => {
    const all = [...new Set(members.flatMap((one) => one.wanted))];
    const costs = members.map(({ ref, wanted }) =>
      all.map((address) => {
        const place = wanted.indexOf(address);
        if (place === -1) return Infinity;
        return draft.given[`${ref}.address`] === String(address) ? 0 : place + 1;
      }),
    );
    const found = cheapestMatching(costs);
    return found.ok ? found.columns.map((column) => all[column] as number) : null;
  };
  const buses: (typeof parts)[] = [];
  for (const part of parts) {
    const room = buses.find((members) => match([...members, part]) !== null);
    if (room) room.push(part);
    else buses.push([part]);
  }
  const addresses = new Map<string, number>();
  for (const members of buses) match(members)?.forEach((address, i) => addresses.set(members[i]?.ref ?? '', address));
  return { buses: buses.map((members) => members.map((one) => one.ref)), addresses };
}

/** The lines of a draft, buses shared, and the addresses on them; addresses that clash open a second bus. */
export function linesOf(draft: SheetDraft, catalogue: Catalogue): { lines: Line[]; addresses: Map<string, number> } {
  const lines: Line[] = [];
  const supply = catalogue.supplies.get(draft.supply);
  const asleep = supply !== undefined && sleeps(draft, supply);
  const { buses, addresses } = busesOf(draft, catalogue);
  buses.forEach((refs, i) => {
    const of = `i2c-${i + 1}`;
    for (const [wire, name] of [
      ['first', 'data'],
      ['second', 'clock'],
    ] as const)
      lines.push({
        id: `${of}.${name}`,
        needs: ['i2c'],
        signal: 'i2c',
        safeAtStart: null,
        terminals: refs.map((ref) => `${ref}.${name}`),
        port: { kind: 'i2c', of, wire },
      });
  });
  const singleWire: string[] = [];
  for (const place of draft.parts) {
    const profile = catalogue.parts.get(place.part);
    if (!profile) continue;
    const { ref } = place;
    // Its supply's switch stays off while the board starts, whatever that costs: only what measures hangs on it.
    if (place.feed !== undefined && place.feed !== 'always')
      lines.push({ id: `${ref}.feed`, needs: ['out'], signal: 'digital-out', safeAtStart: null, terminals: [`${ref}.feed`] });
    const quiet = quietLevel(profile);
    for (const terminal of profile.terminals) {
      const id = `${ref}.${terminal.name}`;
      if (draft.dividers[id]?.switched)
        lines.push({ id: `${id}-switch`, needs: ['out'], signal: 'digital-out', safeAtStart: null, terminals: [`${id}-switch`] });
      if (terminal.signal === 'i2c') continue;
      if (terminal.signal === 'single-wire') singleWire.push(id);
      else if (terminal.signal === 'uart') {
        const of = ref;
        const serial = { signal: 'uart', safeAtStart: null } as const;
        lines.push({
          ...serial,
          id: `${id}-in`,
          needs: ['in', 'uart'],
          terminals: [`${ref}.transmit`],
          port: { kind: 'uart', of, wire: 'first' },
        });
        lines.push({
          ...serial,
          id: `${id}-out`,
          needs: ['out', 'uart'],
          terminals: [`${ref}.receive`],
          port: { kind: 'uart', of, wire: 'second' },
        });
      } else {
        const wakes = asleep && draft.wake === 'board timer' && (terminal.signal === 'contact' || terminal.signal === 'pulse-in');
        const output = terminal.signal === 'digital-out' || terminal.signal === 'pwm-out';
        lines.push({
          id,
          needs: [...NEEDS[terminal.signal], ...(wakes ? (['wake'] as const) : [])],
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
      signal: 'single-wire',
      safeAtStart: null,
      terminals: singleWire.slice(i, i + SINGLE_WIRE_SHARE),
    });
  }
  return { lines, addresses };
}

/** May this line use this pin at all? `asleep`: the board sleeps by its own timer, whose reset line is taken then. */
export function pinSuits(board: BoardProfile, line: Line, pin: Pin, asleep = false): boolean {
  if (pin.reserved !== null || (asleep && pin.wakesByTimer)) return false;
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
