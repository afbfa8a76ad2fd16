// What a page waits for while a sheet is drawn: pins for 12 parts on 38 pins, a year of sun by the hour; both against their limits in
// units of a bare loop of ten million steps, so that a slower computer does not fail them.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { assignPins, catalogueOf, profileSchema, type SheetDraft } from '../core/src/circuit/index';
import { simulateSolarYear } from '../core/src/power/index';
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
  outdoors: false,
  cableMetres: 1,
  parts: ids.map((part, i) => ({ ref: `p${i}`, part })),
  fixed: {},
  dividers: {},
};
if (!assignPins(draft, catalogue, false).ok) throw new Error('the twelve parts do not fit');

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
const pins = time(() => assignPins(draft, catalogue, false));
ratio(
  'pin search, 12 parts on 38 pins, against 50 ms',
  pins,
  50,
  { atMost: 1 },
  `${pins.toFixed(2)} ms, ${(pins / loop).toFixed(3)} loops`,
);
const sun = time(() =>
  simulateSolarYear(
    { latitude: 52, sunshine: Array<number>(12).fill(0.35) },
    { panelWatts: 6, efficiency: 0.6, batteryWattHours: 9.6, loadMilliwatts: 60 },
  ),
);
ratio('a year of sun by the hour, against 20 ms', sun, 20, { atMost: 1 }, `${sun.toFixed(2)} ms, ${(sun / loop).toFixed(3)} loops`);
