import {
  checkSheet,
  cautionsOf,
  energyOf,
  netFaults,
  pointsOfSheet,
  sheetDraftSchema,
  sunOf,
  wiringOf,
  type Check,
  type SheetDraft,
} from '.';
import drafts from './sheet-drafts.json';
import { draftOf, shipped } from './shipped.testing';

/*
 * What is said of many sheets, on record: not worked out elsewhere (that is in the specs beside this one), but looked at whenever it
 * changes. Nothing that a page tells somebody to wire, and no life it promises, changes unseen: `npx jest recorded -u`, and read the
 * difference before it is committed.
 */
const PLACES: readonly [what: string, more: Partial<SheetDraft>][] = [
  ['on mains, by the minute', {}],
  [
    'on a cell, hourly, outdoors',
    { board: 'wifi-compact-22', supply: 'lithium-ion', reportSeconds: 3600, outdoors: true, cableMetres: 12, eventsPerDay: 6 },
  ],
];
const FAN = { name: 'fan', volts: 12, amps: 0.5, kind: 'motor', machine: 'none', hoursPerDay: 2, safe: 'off', protectedBy: 'fuse 1 A' };
const sheets: [what: string, draft: SheetDraft][] = [
  ...[...drafts.faulty, ...drafts.fine].map(({ what, draft }): [string, SheetDraft] => [what, sheetDraftSchema.parse(draft)]),
  ...PLACES.flatMap(([where, more]) =>
    [...shipped.parts.values()].map((part): [string, SheetDraft] => [
      `${part.id} ${where}`,
      draftOf([{ ref: 'one', part: part.id, ...(part.output && { load: FAN }) }] as never, more),
    ]),
  ),
];

const line = (check: Check): string =>
  [
    check.verdict,
    check.id,
    check.at,
    check.figure,
    check.limit,
    check.reminder ? 'reminder' : '',
    check.fix?.label ?? '',
    check.reason,
  ].join(' | ');
const round = (value: number): number => Number(value.toPrecision(6));

function record(draft: SheetDraft): string[] {
  const { checks, assignment } = checkSheet(draft, shipped);
  const board = shipped.boards.get(draft.board)!;
  const wires = assignment ? wiringOf(draft, board, shipped, assignment) : [];
  const energy = energyOf(draft, shipped, () => 0.5, 1);
  const sun = draft.sun ? sunOf(draft, shipped, () => 0.5) : null;
  return [
    ...checks.map(line),
    `pins ${assignment ? [...assignment.pins].map(([id, pin]) => `${id}=${pin}`).join(' ') : 'none'}`,
    `wires ${wires.map((wire) => `${wire.from} > ${wire.to} ${wire.colour} (${wire.through})`).join('; ')}`,
    `points ${pointsOfSheet(draft, shipped)
      .map((point) => `${point.name} ${point.unit} ${point.min}..${point.max} ${point.confirm} ${point.stuckAfterSeconds}`)
      .join('; ')}`,
    `cautions ${cautionsOf(draft, shipped).join(' ')}`,
    `draws ${energy ? `${round(energy.averageMilliamps)} mA, ${energy.days ? round(energy.days.likely) : 'no'} days` : 'nothing'}`,
    `sun ${sun ? JSON.stringify(sun, (_, value: unknown) => (typeof value === 'number' ? round(value) : value)).slice(0, 400) : 'none'}`,
  ];
}

describe('on record', () => {
  it.each(sheets)('%s', (_, draft) => {
    expect(record(draft)).toMatchSnapshot();
  });
});

describe('of all these', () => {
  it.each(sheets)('%s: a fix mends what it stands at and breaks no wire', (_, draft) => {
    for (const check of checkSheet(draft, shipped).checks) {
      if (!check.fix) continue;
      const fixed = check.fix.draft;
      expect(fixed).not.toEqual(draft);
      const after = checkSheet(fixed, shipped);
      const same = after.checks.filter((other) => other.id === check.id && other.at === check.at);
      // Gone, or no longer as bad: a fix that leaves its check as it was is none.
      expect(same.map((other) => `${other.verdict} ${other.figure}`)).not.toContain(`${check.verdict} ${check.figure}`);
      const board = shipped.boards.get(fixed.board)!;
      if (after.assignment) expect(netFaults(wiringOf(fixed, board, shipped, after.assignment), fixed, board, shipped)).toEqual([]);
    }
  });
});
