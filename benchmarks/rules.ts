// What rules cost where somebody looks at them: a year rehearsed, a limit dragged over a fortnight, the journal and its counts with ten
// thousand alerts in it.
import { columnsOf, rehearse, type Sample, type ThresholdRule } from '../core/src/alarm/index';
import { countAlerts } from '../server/src/respond/alert-counts';
import { recentAlerts } from '../server/src/live/snapshot';
import { connect } from '../server/src/database/connect';
import { runRehearsal, takeRecord } from '../web/src/respond/record/rehearsal-jobs';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const MINUTE = 60_000;
const DAY = 1440 * MINUTE;
const ROUNDS = 25;
const ALERTS = 10_000;
const FRAME_MS = 1000 / 30;

const RULE: ThresholdRule = {
  side: 'high',
  setpoint: 58,
  deadband: 2,
  clearLevel: 56,
  onDelayMs: 2 * MINUTE,
  offDelayMs: MINUTE,
  maxGapMs: 3 * MINUTE,
  confirm: 'readings',
};
/** A day's wave with noise on it, as a room has. */
const wave = (count: number, everyMs: number): Sample[] =>
  Array.from({ length: count }, (_, i) => ({
    at: i * everyMs,
    value: 50 + 9 * Math.sin((i * everyMs * 2 * Math.PI) / DAY) + ((i * 7919) % 100) / 50,
    quality: 'good',
  }));
const median = (act: () => void): number => {
  const took: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const began = performance.now();
    act();
    took.push(performance.now() - began);
  }
  // The first ones are the compiler's.
  return percentile(took.slice(5), 0.5);
};
console.log(machine());

const year = columnsOf(wave(365 * 1440, MINUTE));
let sink = 0;
const summed = median(() => {
  let sum = 0;
  for (let i = 0; i < year.value.length; i++) sum += year.value[i] ?? 0;
  sink += sum;
});
const rehearsed = median(() => (sink += rehearse(RULE, year, 365 * DAY).length));
ratio(
  'a year of one-minute readings rehearsed, against one summing pass over the same array',
  rehearsed,
  summed,
  { atMost: 10 },
  `${rehearsed.toFixed(1)} ms, ${summed.toFixed(2)} ms${sink < 0 ? '!' : ''}`,
);

const record = takeRecord({
  samples: wave(14 * 8640, 10_000),
  from: 0,
  until: 14 * DAY,
  decimals: 1,
  usualGapMs: 10_000,
  others: { beside: null, also: null },
});
// What it switches is run as well, within its guards.
const output = {
  guards: { minOnMs: 60_000, minOffMs: 120_000, maxRunMs: 1_800_000, restMs: 300_000, dailyCapMs: 8 * 3_600_000 },
  ...{ mostStarts: null, hours: null, zone: 'Europe/Vienna', share: null },
};
let setpoint = 50;
const dragged = median(() => {
  setpoint = setpoint >= 60 ? 50 : setpoint + 0.5;
  const draft = { ...RULE, setpoint, clearLevel: setpoint - 2 };
  sink += runRehearsal(record, { side: 'high', draft, inForce: RULE, variants: [], output, outputInForce: output }).excursions.length;
});
ratio(
  'a limit dragged over 14 days of 10-second readings: the answer to one step of it, against a frame of 33 ms',
  dragged,
  FRAME_MS,
  { atMost: 1 },
  `${dragged.toFixed(1)} ms`,
);

const rig = await openRig(50);
const database = connect(process.env['DATABASE_URL'] ?? '', 3, 0);
await database.raw(
  `insert into alert (kind, node_id, severity, title, body, tripped_at, cleared_at, cleared_why, acknowledged_at, acknowledged_by)
   select 'silent', n.id, 'warning', n.name || ' is silent', '', t, t + interval '5 minutes', 'heard again', t + interval '3 minutes', 'baker'
   from generate_series(1, ?) as i
   join lateral (select id, name from node order by id offset (i % 50) limit 1) n on true
   cross join lateral (select now() - i * interval '10 minutes' as t) at`,
  [ALERTS],
);
await database.raw('analyze alert');
const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const took: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const began = performance.now();
    await work();
    took.push(performance.now() - began);
  }
  return percentile(took, 0.5);
};
const page = await timed(() => recentAlerts(database, 200, false, true));
ratio(`the page of alerts with ${ALERTS} in the journal, against 200 ms`, page, 200, { atMost: 1 }, `${page.toFixed(1)} ms of the server`);
const counts = await timed(() => countAlerts(database, 90, Date.now()));
ratio(`their counts over 90 days, against 200 ms`, counts, 200, { atMost: 1 }, `${counts.toFixed(1)} ms of the server`);
await database.destroy();
await rig.stop();
