import type { BuildSheetInput } from '@dewpost/contract';
import type { Database } from '../database/connect';

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
export const BUILDING_TIMING: SheetTiming = {
  reportSeconds: 30,
  leaseSeconds: 60,
  minOnSeconds: 60,
  minOffSeconds: 120,
  maxRunSeconds: 1800,
  restSeconds: 300,
  stuckAfterSeconds: 3600,
};

/** The first build sheet: a mains-fed climate node with a humidifier relay. */
export function climatePost(timing: SheetTiming): BuildSheetInput {
  const measured = { kind: 'measured' as const, derived: null, output: null, stuckAfterSeconds: timing.stuckAfterSeconds };
  return {
    board: 'Wi-Fi board, dual core, 38 pins',
    supply: 'USB, 5 V 1 A',
    parts: [
      { part: 'Air temperature and humidity, I²C', what: 'temperature and humidity of the air' },
      { part: 'Relay module, 1 channel, with read-back contact', what: 'switches the humidifier' },
    ],
    wiring: [
      { from: 'board 3V3', to: 'sensor supply', through: 'direct' },
      { from: 'board GND', to: 'sensor and relay ground', through: 'direct' },
      { from: 'pin 21', to: 'sensor data', through: '4.7 kΩ up to 3V3' },
      { from: 'pin 22', to: 'sensor clock', through: '4.7 kΩ up to 3V3' },
      { from: 'pin 26', to: 'relay in', through: '10 kΩ down to GND: off during reset and boot' },
      { from: 'pin 34', to: 'relay read-back contact', through: '10 kΩ down to GND' },
    ],
    reportSeconds: timing.reportSeconds,
    draft: {
      board: 'wifi-dual-38',
      supply: 'usb',
      reportSeconds: timing.reportSeconds,
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
      dividers: {},
    },
    points: [
      {
        ...measured,
        name: 'temperature',
        label: 'Air temperature',
        unit: '°C',
        min: 0,
        max: 40,
        decimals: 1,
        physicalMin: -40,
        physicalMax: 85,
        spikeStep: 8,
      },
      {
        ...measured,
        name: 'humidity',
        label: 'Humidity',
        unit: '%',
        min: 20,
        max: 100,
        decimals: 1,
        physicalMin: 0,
        physicalMax: 100,
        spikeStep: 25,
      },
      {
        name: 'dew-point',
        label: 'Dew point',
        kind: 'derived',
        unit: '°C',
        min: 0,
        max: 40,
        decimals: 1,
        physicalMin: -60,
        physicalMax: 85,
        spikeStep: null,
        stuckAfterSeconds: null,
        derived: { quantity: 'dew-point', from: ['temperature', 'humidity'] },
        output: null,
      },
      {
        name: 'humidifier',
        label: 'Humidifier',
        kind: 'switched',
        unit: '',
        min: 0,
        max: 1,
        decimals: 0,
        physicalMin: 0,
        physicalMax: 1,
        spikeStep: null,
        stuckAfterSeconds: null,
        derived: null,
        output: {
          leaseSeconds: timing.leaseSeconds,
          readBack: 'contact',
          guards: {
            minOnSeconds: timing.minOnSeconds,
            minOffSeconds: timing.minOffSeconds,
            maxRunSeconds: timing.maxRunSeconds,
            restSeconds: timing.restSeconds,
          },
          caution:
            'Mains beside water: have a licensed electrician wire the humidifier, behind a residual-current device, and follow the local code. It may start by itself.',
        },
      },
    ],
    cautions: [
      'Mains work and anything mains-fed near water: follow the local code; have a licensed electrician do or check it.',
      'One supply at a time: take the 5 V supply off the board before plugging in USB.',
      'The humidifier needs its own dry-run protection. Dew Post is never the only protection where life or fire is at stake.',
    ],
  };
}

/** A site and its first build sheet, where the database has none yet. */
export async function ensureCatalogue(database: Database): Promise<void> {
  await database('site')
    .insert({ name: 'New site', timezone: Intl.DateTimeFormat().resolvedOptions().timeZone })
    .onConflict('one')
    .ignore();
  await database('build_sheet')
    .insert({ slug: 'climate-post', version: 1, name: 'Climate post', body: JSON.stringify(climatePost(BUILDING_TIMING)) })
    .onConflict(['slug', 'version'])
    .ignore();
}
