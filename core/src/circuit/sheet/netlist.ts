import type { SheetDraft } from './draft';
import { feedOf, type BoardProfile, type Catalogue, type PartProfile } from '../profile';
import { feedsLogic, GROUND, logicNet, SOURCE_PLUS, SUPPLY_MINUS, SUPPLY_PLUS } from './rails';
import type { Wire } from './wiring';

/** What is electrically wrong with a table of wires. */
export interface NetFault {
  readonly kind: 'short' | 'used twice' | 'not wired' | 'pin shorted';
  readonly at: string;
  readonly text: string;
}

/** Nets joined by plain wires: who belongs together. */
class Nets {
  private readonly parent = new Map<string, string>();
  find(net: string): string {
    const above = this.parent.get(net) ?? net;
    if (above === net) return net;
    const root = this.find(above);
    this.parent.set(net, root);
    return root;
  }
  join(a: string, b: string): void {
    this.parent.set(this.find(a), this.find(b));
  }
}

/**
 * Looks at a wiring table as a netlist: no two supplies, and no supply and ground, may be joined by wires and closed contacts; every
 * terminal of every part has one wire; no pin that drives stands on a supply or on ground. Pull-ups, dividers and parts with a supply of
 * their own do not conduct.
 */
export function netFaults(wires: readonly Wire[], draft: SheetDraft, board: BoardProfile, catalogue: Catalogue): NetFault[] {
  const faults: NetFault[] = [];
  const nets = new Nets();
  for (const { from, to, ohms } of wires) if (ohms === 0) nets.join(from, to);
  // The supply's own two ends are the sources themselves: where it feeds the board it is the same net.
  const contacts = draft.parts.filter((place) => {
    const profile = catalogue.parts.get(place.part);
    return profile !== undefined && feedOf(profile) === 'contact';
  });
  const closed = new Nets();
  for (const { from, to, ohms } of wires) if (ohms === 0) closed.join(from, to);
  for (const { ref, part } of contacts)
    for (const terminal of catalogue.parts.get(part)?.terminals ?? []) closed.join(`${ref} ${terminal.name}`, `${ref} ground`);
  const plus = [...new Set([logicNet(board), SUPPLY_PLUS, SOURCE_PLUS])];
  const supply = catalogue.supplies.get(draft.supply);
  // A supply at the logic pin is the logic rail; any other way of joining the two is a short.
  const fedAtLogic = supply !== undefined && feedsLogic(board, supply);
  const sources = [...plus.filter((net) => !(fedAtLogic && net === SUPPLY_PLUS)), GROUND];
  const touched = new Set(wires.flatMap((one) => [one.from, one.to]));
  for (const [i, one] of sources.entries())
    for (const other of sources.slice(i + 1)) {
      if (!touched.has(one) && !touched.has(other)) continue;
      if (closed.find(one) !== closed.find(other)) continue;
      const open = nets.find(one) === nets.find(other);
      const at = open ? '' : (contacts.find(({ ref }) => closed.find(`${ref} ground`) === closed.find(one))?.ref ?? '');
      faults.push({ kind: 'short', at, text: `${one} and ${other} are joined${open ? '' : ` when ${at} closes`}` });
    }
  const ends = new Map<string, number>();
  for (const { from, to } of wires) for (const end of [from, to]) ends.set(end, (ends.get(end) ?? 0) + 1);
  for (const place of draft.parts)
    for (const terminal of terminalsOf(place, catalogue, draft.dividers)) {
      const count = ends.get(`${place.ref} ${terminal}`) ?? 0;
      if (count > 1) faults.push({ kind: 'used twice', at: place.ref, text: `${place.ref} ${terminal} has ${count} wires` });
      if (count === 0) faults.push({ kind: 'not wired', at: place.ref, text: `${place.ref} ${terminal} has no wire` });
    }
  // What is not a terminal of a part, nor a net of the board or supply, would be a wire to nowhere.
  const known = new Set(
    draft.parts.flatMap((place) => terminalsOf(place, catalogue, draft.dividers).map((terminal) => `${place.ref} ${terminal}`)),
  );
  for (const end of ends.keys())
    if (!known.has(end) && !/^(pin \S+|board .+|supply .+|a supply of its own)$/.test(end))
      faults.push({ kind: 'not wired', at: '', text: `${end} is no terminal` });
  for (const place of draft.parts)
    for (const { name, signal } of catalogue.parts.get(place.part)?.terminals ?? []) {
      if (signal !== 'digital-out' && signal !== 'pwm-out') continue;
      const ownNames = [name, ...(place.drive === 'transistor' ? ['transistor base'] : fedByPin(place, catalogue) ? ['plus'] : [])];
      for (const end of ownNames.map((one) => `${place.ref} ${one}`)) {
        const hit = [...sources, SUPPLY_MINUS].find((net) => touched.has(end) && nets.find(end) === nets.find(net));
        if (hit) faults.push({ kind: 'pin shorted', at: place.ref, text: `${end} stands on ${hit}` });
      }
    }
  return faults;
}

const fedByPin = (place: SheetDraft['parts'][number], catalogue: Catalogue): boolean => {
  const profile = catalogue.parts.get(place.part);
  return profile !== undefined && feedOf(profile) === 'pin';
};

/** Names of the terminals that a part really has on this sheet, one wire each. */
export function terminalsOf(place: SheetDraft['parts'][number], catalogue: Catalogue, dividers: SheetDraft['dividers']): string[] {
  const profile = catalogue.parts.get(place.part);
  if (!profile) return [];
  const gates = profile.terminals.flatMap(({ name }) => (dividers[`${place.ref}.${name}`]?.switched ? [`${name}-switch gate`] : []));
  return [...ownTerminals(place, profile), ...gates];
}

function ownTerminals(place: SheetDraft['parts'][number], profile: PartProfile): string[] {
  const fed = feedOf(profile);
  const signals = profile.terminals.flatMap(({ name, signal }) => (signal === 'uart' ? ['receive', 'transmit'] : [name]));
  const switched = place.feed === 'transistor' ? ['switch in', 'switch gate', ...(fed === 'supply' ? ['switch out'] : [])] : [];
  switch (fed) {
    case 'supply':
      return ['supply', 'ground', ...switched, ...signals];
    case 'contact':
      return ['ground', ...signals];
    case 'resistor':
      return ['ground', ...switched, ...signals];
    case 'source':
      return profile.measures === 'own supply' ? [] : ['plus', 'minus'];
    case 'pin':
      return place.drive === 'transistor'
        ? ['plus', 'minus', 'transistor collector', 'transistor emitter', 'transistor base']
        : ['plus', 'minus'];
    case 'board':
      return [];
  }
}
