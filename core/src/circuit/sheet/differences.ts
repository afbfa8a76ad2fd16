import { formatDuration } from '../../quantity';
import { assignPins } from './assign';
import type { SheetDraft } from './draft';
import type { Catalogue } from '../profile';
import { pointsOfSheet } from './sheet-points';

/** One thing that differs between two versions of a sheet. */
export interface SheetDifference {
  readonly what: string;
  readonly before: string;
  readonly after: string;
}

/** What differs from one version of a sheet to another: what it is made of, its pins, and the points that follow. */
export function sheetDifferences(before: SheetDraft, after: SheetDraft, catalogue: Catalogue): SheetDifference[] {
  const found: SheetDifference[] = [];
  const tell = (what: string, a: string, b: string): void => void (a !== b && found.push({ what, before: a, after: b }));
  const name = (map: ReadonlyMap<string, { readonly name: string }>, id: string): string => map.get(id)?.name ?? id;
  tell('board', name(catalogue.boards, before.board), name(catalogue.boards, after.board));
  tell('supply', name(catalogue.supplies, before.supply), name(catalogue.supplies, after.supply));
  tell('antenna', name(catalogue.antennas, before.antenna), name(catalogue.antennas, after.antenna));
  tell('wakes by', before.wake, after.wake);
  tell('reports every', formatDuration(before.reportSeconds * 1000), formatDuration(after.reportSeconds * 1000));
  tell('outdoors', before.outdoors ? 'yes' : 'no', after.outdoors ? 'yes' : 'no');
  const refs = new Set([...before.parts, ...after.parts].map((place) => place.ref));
  for (const ref of refs) {
    const [a, b] = [before, after].map((draft) => draft.parts.find((place) => place.ref === ref));
    const says = (place: typeof a): string =>
      place
        ? `${name(catalogue.parts, place.part)}${place.load ? `, switches ${place.load.name} (${place.load.kind}, ${place.load.amps} A)` : ''}`
        : '';
    tell(`part ${ref}`, says(a), says(b));
  }
  const pins = (draft: SheetDraft): ReadonlyMap<string, string> => {
    const result = assignPins(draft, catalogue);
    return result.ok ? result.assignment.pins : new Map();
  };
  const [pinsBefore, pinsAfter] = [pins(before), pins(after)];
  for (const line of new Set([...pinsBefore.keys(), ...pinsAfter.keys()]))
    tell(`pin of ${line}`, pinsBefore.get(line) ?? '', pinsAfter.get(line) ?? '');
  const points = (draft: SheetDraft): ReadonlyMap<string, string> =>
    new Map(
      pointsOfSheet(draft, catalogue).map((point) => [
        point.name,
        `${point.label}${point.unit ? `, ${point.unit}` : ''}, ${point.min} to ${point.max}`,
      ]),
    );
  const [pointsBefore, pointsAfter] = [points(before), points(after)];
  for (const point of new Set([...pointsBefore.keys(), ...pointsAfter.keys()]))
    tell(`point ${point}`, pointsBefore.get(point) ?? '', pointsAfter.get(point) ?? '');
  return found;
}
