import { columnsOf, forRecord, rehearse, usualGapMs, type Excursion, type Sample } from '@dewpost/core/alarm';
import type { Database } from '../database/connect';
import { textOf, titleOf } from '../engine/rule-words';
import { Registry } from '../model/registry';
import type { ThresholdEntry } from '../model/entries';
import { chance } from './chance';

const QUALITIES = ['good', 'suspect', 'bad'] as const;
const MINUTE_MS = 60_000;
/** A rule has so many in the past of a demo at most, the newest. */
const MOST_A_RULE = 40;

/** Writes the alerts that the rules in force would have raised over what was recorded before, seen by somebody and over. Gives how many. */
export async function writePastAlerts(database: Database, now: number): Promise<number> {
  const registry = new Registry('taken as done');
  await registry.load(database);
  let written = 0;
  for (const threshold of registry.thresholds.values()) {
    // What is switched silently is nobody's alert.
    if (!threshold.rule.consequences.includes('alert')) continue;
    const samples = await samplesOf(database, threshold.point.id);
    if (samples.length < 3) continue;
    const rule = forRecord(threshold.engineRule, usualGapMs(samples));
    const over = rehearse(rule, columnsOf(samples), now).filter((one): one is Excursion & { to: number } => one.to !== null);
    const rows = over.slice(-MOST_A_RULE).map((one) => rowOf(threshold, one, samples));
    if (rows.length > 0) await database('alert').insert(rows);
    written += rows.length;
  }
  return written;
}

async function samplesOf(database: Database, point: number): Promise<Sample[]> {
  const { rows } = await database.raw<{ rows: { at: number; value: number; quality: number }[] }>(
    'select round(extract(epoch from at) * 1000)::float8 as at, value, quality from reading where point_id = ? order by at',
    [point],
  );
  return rows.map(({ at, value, quality }) => ({ at, value, quality: QUALITIES[quality] ?? 'bad' }));
}

/** Seen within an hour, sooner where it was grave. */
function rowOf(threshold: ThresholdEntry, { from, to }: Excursion & { to: number }, samples: readonly Sample[]): Record<string, unknown> {
  const { id, version, rule, point } = threshold;
  const value = samples.findLast(({ at, quality }) => at <= from && quality !== 'bad')?.value ?? rule.setpoint;
  const random = chance(id * 31 + Math.floor(from / MINUTE_MS));
  const seen = from + (2 + random() * (rule.severity === 'advisory' ? 58 : 12)) * MINUTE_MS;
  return {
    ...{ kind: 'threshold', threshold_id: id, threshold_version: version, node_id: point.node.id, point_id: point.id },
    ...{ severity: rule.severity, title: titleOf(threshold), body: textOf(threshold, value), value },
    ...{ tripped_at: new Date(from), found_at: new Date(from), cleared_at: new Date(to), cleared_why: 'cleared' },
    ...{ acknowledged_at: new Date(seen), acknowledged_by: random() < 0.5 ? 'keeper' : 'maker' },
  };
}
