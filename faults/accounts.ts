import type { House } from './house';
import { until } from './house';

interface AlertRow {
  id: number;
  point_id: number;
  earlier: boolean;
}

/** What must hold after whatever happened, said line by line. Throws with all that does not. */
export async function holdAccounts(house: House, what: string): Promise<void> {
  for (const node of house.nodes) node.settle();
  await until('every report answered', () => house.nodes.every((node) => node.unanswered === 0), 120);
  const wrong: string[] = [];
  let [readings, trips] = [0, 0];
  const alerts = await house.query<AlertRow>(
    `select id, point_id, earlier from alert where kind = 'threshold' and point_id = any($1) order by id`,
    [house.nodes.map((node) => node.point)],
  );
  for (const node of house.nodes) {
    const rows = await house.query<{ at: string; value: number }>(
      `select round(extract(epoch from at) * 1000)::text as at, value from reading where point_id = $1 order by at`,
      [node.point],
    );
    const stored = new Map(rows.map((row) => [Number(row.at), row.value]));
    const lost = [...node.acknowledged].filter(([at, value]) => stored.get(at) !== value);
    const never = [...stored].filter(([at, value]) => node.sent.get(at) !== value);
    if (lost.length > 0) wrong.push(`${node.id}: ${lost.length} acknowledged readings are lost or changed`);
    if (never.length > 0) wrong.push(`${node.id}: ${never.length} readings were never sent`);
    if (node.refused.length > 0) wrong.push(`${node.id}: refused ${JSON.stringify(node.refused.slice(0, 2))}`);
    if (node.tooLate.length > 0) wrong.push(`${node.id}: ${node.tooLate.length} commands came after they had expired`);
    readings += stored.size;
    // The same rule, looked at once more over what is stored.
    let tripped = false;
    let expected = 0;
    for (const value of stored.values()) {
      if (!tripped && value <= 60) expected++;
      tripped = tripped ? value < 65 : value <= 60;
    }
    const mine = alerts.filter((alert) => alert.point_id === node.point);
    if (mine.length !== expected) wrong.push(`${node.id}: ${mine.length} alerts for ${expected} trips`);
    trips += expected;
  }
  await until('every alert cleared', async () => (await open(house)) === 0).catch((error: Error) => wrong.push(error.message));
  await until('every alert told', () => untold(house, alerts).length === 0).catch(() =>
    wrong.push(`${untold(house, alerts).length} alerts reached nobody`),
  );
  const twice = [...house.messages.values()].filter(({ alert }) => alert !== null).map(({ alert }) => alert);
  if (new Set(twice).size !== twice.length) wrong.push('an alert was told under two ids');
  await until('every output off', () => house.nodes.every((node) => !node.outputOn)).catch((error: Error) => wrong.push(error.message));
  const standing = await house.query(`select id from demand where ended_at is null and point_id = any($1)`, [
    house.nodes.map((node) => node.output),
  ]);
  if (standing.length > 0) wrong.push(`${standing.length} demands stand although nothing asks for them`);
  const silent = await house.query(`select id from alert where kind in ('silent', 'sensor-lost')`);
  const commands = house.nodes.reduce((sum, node) => sum + node.commands, 0);
  console.log(
    `${what}: ${readings} readings, ${trips} trips, ${house.messages.size} messages, ${commands} commands, ${silent.length} nodes or sensors called lost`,
  );
  if (wrong.length > 0) throw new Error(wrong.join('\n'));
}

const open = async (house: House): Promise<number> =>
  (
    await house.query(`select id from alert where kind = 'threshold' and cleared_at is null and point_id = any($1)`, [
      house.nodes.map((node) => node.point),
    ])
  ).length;

function untold(house: House, alerts: readonly AlertRow[]): AlertRow[] {
  const told = new Set([...house.messages.values()].map(({ alert }) => alert));
  return alerts.filter((alert) => !alert.earlier && !told.has(alert.id));
}

/** Runs a campaign in a house and cleans up after it; what does not hold makes the process end with 1. */
export async function campaign(opened: Promise<House>, work: (house: House) => Promise<void>): Promise<void> {
  const house = await opened;
  try {
    await work(house);
    console.log('ok');
  } catch (error) {
    console.error('DID NOT HOLD', error);
    process.exitCode = 1;
  } finally {
    await house.close();
  }
}
