import { eachOnce } from '../../quantity';
import { assignPins, type Assignment } from './assign';
import type { SheetDraft } from './draft';
import type { BoardProfile, Catalogue } from '../profile';
import { wiringOf } from './wiring';

/** One step of building a node; `id` stays while the step says the same. */
export interface AssemblyStep {
  readonly id: string;
  readonly text: string;
  /** What to take care of at this step. */
  readonly caution: string | null;
}

const MAINS = 'Mains: follow the local code; have a licensed electrician do or check it.';

/**
 * The order to build a node in: prepare, power lines first and unpowered, then each part by its lines, inspection before
 * power, outputs last and with their load off. Cautions stand at the step they belong to.
 */
export function assemblySteps(draft: SheetDraft, board: BoardProfile, catalogue: Catalogue, assignment: Assignment): AssemblyStep[] {
  const steps: AssemblyStep[] = [];
  // A caution stands at the first step that needs it, once; that of mains where the loads are joined, not at each relay's own wires.
  const switches = draft.parts.some((place) => place.load);
  const said = new Set<string>(switches ? [MAINS] : []);
  const add = (id: string, text: string, caution: string | null = null): void =>
    void steps.push({ id, text, caution: eachOnce([caution], said) || null });
  const supply = catalogue.supplies.get(draft.supply);
  const antenna = catalogue.antennas.get(draft.antenna);
  const wires = wiringOf(draft, board, catalogue, assignment);
  add(
    'prepare',
    `Lay out the board (${board.name}) and every part of the sheet; nothing has power.`,
    'Unplug everything. One supply at a time: never USB and a carrier’s supply together.',
  );
  if (antenna && !antenna.onBoard)
    add('antenna', `Fit the antenna: ${antenna.name}.`, 'Antenna before power: a transmitter without one can be damaged.');
  const ofPart = (ref: string): string[] =>
    wires
      .filter((wire) => wire.to.startsWith(`${ref} `) || wire.from.startsWith(`${ref} `))
      .map(
        ({ from, to, colour, through }) =>
          `${from} to ${to}, ${colour}${through.startsWith('direct') ? through.slice('direct'.length) : `, through ${through}`}`,
      );
  for (const place of draft.parts) {
    const part = catalogue.parts.get(place.part);
    if (!part) continue;
    const lines = ofPart(place.ref);
    add(
      `part-${place.ref}`,
      `${part.name} (${place.ref})${lines.length > 0 ? `: ${lines.join('; ')}` : ''}.`,
      part.cautions.length > 0 ? part.cautions.join(' ') : null,
    );
  }
  for (const [id, { switched }] of Object.entries(draft.dividers))
    add(
      `divider-${id}`,
      `Divider in front of ${id}${switched ? ', behind a high-side switch (a P-channel transistor and the small one that drives it)' : ''}: measure it unpowered before it is joined to its pin.`,
    );
  add('inspect', 'Measure from supply to ground: no short. Tug at every wire.');
  add('power', `Connect the supply: ${supply?.name ?? draft.supply}.`, supply?.cautions.join(' ') || null);
  if (supply?.panel)
    add(
      'panel',
      `Panel of ${supply.panel.watts} W: join it last, at the charger.`,
      'A roof is work at height: follow the local code, never alone.',
    );
  if (switches) {
    said.delete(MAINS);
    add(
      'outputs',
      'Operate each output with its load disconnected; look that it falls off when the supply is pulled.',
      'It may start by itself.',
    );
    add(
      'loads',
      `Join the loads: ${draft.parts.flatMap((place) => (place.load ? [place.load.name || place.ref] : [])).join(', ')}. A fuse above the load and below cable and contact.`,
      MAINS,
    );
  }
  if (draft.outdoors)
    add('seal', 'Coat the board but not connectors and sensing elements; strain relief, drip loop, a vent at the lowest point.');
  add('label', 'Stick the label on, and write the node at the bench.');
  return steps;
}

/** The same from a sheet alone; empty where its board is not in the catalogue, or its pins cannot be given out. */
export function stepsOfDraft(draft: SheetDraft, catalogue: Catalogue): AssemblyStep[] {
  const board = catalogue.boards.get(draft.board);
  const pins = assignPins(draft, catalogue);
  return board && pins.ok ? assemblySteps(draft, board, catalogue, pins.assignment) : [];
}
