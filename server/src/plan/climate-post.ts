import type { BuildSheetBody } from '@dewpost/contract';
import type { Catalogue, SheetDraft } from '@dewpost/core/circuit';
import type { Database } from '../database/connect';
import { bodyOf } from './sheets';

export interface SheetTiming {
  reportSeconds: number;
  leaseSeconds: number;
  minOnSeconds: number;
  minOffSeconds: number;
  maxRunSeconds: number;
  restSeconds: number;
  stuckAfterSeconds: number;
}

/** What a climate post uses in a building. Common practice: humidity moves in minutes, a report every 30 s is plenty. */
const BUILDING_TIMING: SheetTiming = {
  reportSeconds: 30,
  leaseSeconds: 60,
  minOnSeconds: 60,
  minOffSeconds: 120,
  maxRunSeconds: 1800,
  restSeconds: 300,
  // Indoors six hours at least, better twelve (reference values of weather stations give false alarms).
  stuckAfterSeconds: 43_200,
};

/** The first build sheet: a mains-fed climate node with a humidifier relay. */
const draft = (reportSeconds: number): SheetDraft => ({
  board: 'wifi-dual-38',
  supply: 'usb',
  antenna: 'antenna-board',
  wake: 'board timer',
  tellsWake: false,
  reportSeconds,
  eventsPerDay: 0,
  outdoors: false,
  cableMetres: 0.5,
  parts: [
    { ref: 'air', part: 'climate-i2c' },
    {
      ref: 'relay',
      part: 'relay-1',
      load: { name: 'Humidifier', kind: 'motor', amps: 0.4, safe: 'off', machine: 'none', protectedBy: '' },
    },
  ],
  fixed: { 'i2c-1.data': '21', 'i2c-1.clock': '22', 'relay.in': '26' },
  given: {},
  reminded: [],
  dividers: {},
  points: {},
  sun: null,
});

/** The climate post as the catalogue makes it, with a pace of its own: a demo cannot wait half an hour for a run to end. */
export function climatePost(catalogue: Catalogue, timing: SheetTiming): BuildSheetBody {
  const { reportSeconds, leaseSeconds, stuckAfterSeconds, minOnSeconds, minOffSeconds, maxRunSeconds, restSeconds } = timing;
  const body = bodyOf(draft(reportSeconds), catalogue);
  return {
    ...body,
    points: body.points.map((point) => ({
      ...point,
      stuckAfterSeconds: point.kind === 'measured' ? stuckAfterSeconds : null,
      output: point.output && {
        ...point.output,
        leaseSeconds,
        guards: { minOnSeconds, minOffSeconds, maxRunSeconds, restSeconds },
        caution: `${point.output.caution} Mains beside water: behind a residual-current device, with dry-run protection of its own. It may start by itself.`,
      },
    })),
  };
}

/** A site and its first build sheet, where the database has none yet. */
export async function ensureFirstSheet(database: Database, catalogue: Catalogue): Promise<void> {
  await database('site')
    .insert({ name: 'New site', timezone: Intl.DateTimeFormat().resolvedOptions().timeZone })
    .onConflict('one')
    .ignore();
  await database('build_sheet')
    .insert({ slug: 'climate-post', version: 1, name: 'Climate post', body: JSON.stringify(climatePost(catalogue, BUILDING_TIMING)) })
    .onConflict(['slug', 'version'])
    .ignore();
}
