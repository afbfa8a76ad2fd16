// What a page waits for while a site is planned: pins for 12 parts on 38 pins, a year of sun by the hour, coverage; against their limits in
// units of a bare loop of ten million steps, so that a slower computer does not fail them.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { assignPins, catalogueOf, profileSchema, type SheetDraft } from '../core/src/circuit/index';
import { cloudyYear, solarYear, sunTable } from '../core/src/power/index';
import { coverage, coverageGrid } from '../core/src/radio/index';
import { emptyPlan, type SitePlan } from '../core/src/site-plan/index';
import { machine, percentile, ratio } from './report';

const files = readdirSync('catalogue', { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.json'));
const catalogue = catalogueOf(files.map((file) => profileSchema.parse(JSON.parse(readFileSync(join('catalogue', file), 'utf8')))));
const ids = [
  'climate-i2c',
  'co2-i2c',
  'light-i2c',
  'thermometer-single-wire',
  'soil-analog',
  'thermistor',
  'sender-resistive',
  'level-ultrasonic-serial',
  'flow-pulse',
  'float-switch',
  'relay-1',
  'relay-2',
];
const draft: SheetDraft = {
  board: 'wifi-dual-38',
  supply: 'usb',
  reportSeconds: 60,
  eventsPerDay: 0,
  antenna: 'antenna-board',
  wake: 'board timer',
  tellsWake: false,
  outdoors: false,
  cableMetres: 1,
  parts: ids.map((part, i) => ({ ref: `p${i}`, part })),
  fixed: {},
  given: {},
  reminded: [],
  dividers: {},
  points: {},
  sun: null,
};
if (!assignPins(draft, catalogue).ok) throw new Error('the twelve parts do not fit');

const time = (act: () => void): number => {
  const took: number[] = [];
  for (let i = 0; i < 15; i++) {
    const began = performance.now();
    act();
    took.push(performance.now() - began);
  }
  return percentile(took, 0.5);
};
let sink = 0;
const loop = time(() => {
  for (let i = 0; i < 1e7; i++) sink = (sink + i) % 1_000_003;
});
console.log(machine(), `(loop ${loop.toFixed(0)} ms${sink < 0 ? '!' : ''})`);
const pins = time(() => assignPins(draft, catalogue));
ratio(
  'pin search, 12 parts on 38 pins, against 50 ms',
  pins,
  50,
  { atMost: 1 },
  `${pins.toFixed(2)} ms, ${(pins / loop).toFixed(3)} loops`,
);
const sky = Array<number>(12).fill(0.35);
const table = sunTable({ latitude: 52, sunshine: sky, frost: [], tiltDegrees: 60, facingDegrees: 180 });
const power = { panelWatts: 6, efficiency: 0.6, batteryWattHours: 9.6, loadMilliwatts: 60 };
const sun = time(() => solarYear(table, power, cloudyYear(sky, 1), () => false));
ratio('a year of sun by the hour, against 20 ms', sun, 20, { atMost: 1 }, `${sun.toFixed(2)} ms, ${(sun / loop).toFixed(3)} loops`);

// Coverage: 60 m by 40 m in cells of 0.25 m, 3 access points, 80 walls, as the worker works it out.
const walls = Array.from({ length: 80 }, (_, i) => {
  const along = i % 2 === 0;
  const [x, y] = [((i * 37) % 56) + 2, ((i * 23) % 36) + 2];
  const to: [number, number] = along ? [Math.min(60, x + 7), y] : [x, Math.min(40, y + 7)];
  return {
    id: `w${i}`,
    material: ['stone', 'brick', 'timber'][i % 3] ?? 'brick',
    from: [x, y] as [number, number],
    to,
    thicknessMillimetres: 200,
  };
});
const drawn = emptyPlan();
drawn.floors[0] = { ...(drawn.floors[0] as SitePlan['floors'][number]), walls };
drawn.stations = [
  [10, 10],
  [30, 30],
  [52, 14],
].map(([x = 0, y = 0], i) => ({
  id: `ap-${i}`,
  name: `AP ${i}`,
  kind: 'access point',
  floor: 'ground',
  x,
  y,
  heightMetres: 2.2,
  channel: 1,
  powerDbm: 17,
  antenna: 'whip',
  cableDb: 0,
  aimDegrees: 0,
}));
const grid = coverageGrid('ground', { left: 0, top: 0, right: 60, bottom: 40 }, 0.25);
const whip = { antenna: () => ({ gainDbi: 3, beamDegrees: 360 }) };
const usual = { powerDbm: 17, gainDbi: 0, heightMetres: 1.5 };
const covered = time(() => coverage(drawn, whip, grid, usual, null));
const tests = grid.columns * grid.rows * drawn.stations.length * walls.length;
const perTest = (covered * 1e6) / tests;
const perStep = (loop * 1e6) / 1e7;
ratio(
  'coverage of 60 m × 40 m at 0.25 m, 3 access points, 80 walls, against 1 s',
  covered,
  1000,
  { atMost: 1 },
  `${covered.toFixed(0)} ms; ${perTest.toFixed(2)} ns a cell and wall, ${(perTest / perStep).toFixed(2)} steps of the bare loop (${tests} tests, those that cannot win left out)`,
);
