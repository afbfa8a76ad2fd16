import type { Knex } from 'knex';
import type { Migration } from './migration';

interface StoredWire {
  readonly from: string;
  readonly to: string;
  readonly colour: string;
  readonly through: string;
}
interface StoredSheet {
  wiring?: StoredWire[];
  draft?: { given?: Record<string, string> } | null;
  points?: unknown[];
}

/**
 * The pins that a sheet of before gave, by line, read from its wiring table: `pin 21` to `air data`. Sheets name no pins by line
 * themselves; without this, nodes that are built already would be told others.
 */
export function givenOfWiring(wiring: readonly StoredWire[]): Record<string, string> {
  const given: Record<string, string> = {};
  const buses: string[] = [];
  const singleWires: string[] = [];
  const signals = wiring.flatMap(({ from, to, colour, through }) => {
    const [ref = '', ...terminal] = to.split(' ');
    return from.startsWith('pin ') && terminal.length > 0
      ? [{ pin: from.slice(4), ref, terminal: terminal.join(' '), colour, through }]
      : [];
  });
  for (const { pin, ref, terminal, colour, through } of signals) {
    const onBus = colour === 'yellow' && signals.some((one) => one.ref === ref && one.terminal === 'clock' && one.colour === 'yellow');
    if (onBus && terminal === 'data') {
      if (!buses.includes(pin)) buses.push(pin);
      given[`i2c-${buses.indexOf(pin) + 1}.data`] = pin;
    } else if (onBus && terminal === 'clock') {
      const data = signals.find((one) => one.ref === ref && one.terminal === 'data')?.pin ?? '';
      if (!buses.includes(data)) buses.push(data);
      given[`i2c-${buses.indexOf(data) + 1}.clock`] = pin;
    } else if (colour === 'yellow' && through.includes('once a line')) {
      if (!singleWires.includes(pin)) singleWires.push(pin);
      given[`single-wire-${singleWires.indexOf(pin) + 1}`] = pin;
    } else if (colour === 'violet') {
      // Both wires of a serial part were called by its one terminal: first what the board receives, then what it sends.
      const key = `${ref}.${terminal}`;
      given[given[`${key}-in`] === undefined ? `${key}-in` : `${key}-out`] = pin;
    } else given[`${ref}.${terminal}`] = pin;
  }
  return given;
}

/** What a point of before is judged by from now on; `point` names the column or element that holds it. */
const mendedPoint = (point: string): string => `
  ${point} || jsonb_build_object(
    'confirm', case when ${isState(point)} then 'hold' else 'readings' end,
    'protective', ${point}->>'name' ~ '^flood',
    'restsAt', case when ${point}->>'name' ~ '^humidity' then 100 end,
    'stuckAfterSeconds', case
      when ${point}->>'kind' = 'measured' and (${point}->>'unit' in ('°C', '°F', 'hPa', 'inHg', 'ppm') and ${point}->>'name' !~ 'soil' or ${point}->>'name' ~ '^humidity')
      then greatest(43200, coalesce((${point}->>'stuckAfterSeconds')::float8, 0)) end)`;
/** Contacts, states and outputs: whole steps without a unit, over three at most. */
const isState = (point: string): string =>
  `(${point}->>'kind' = 'switched' or ${point}->>'unit' = '' and (${point}->>'decimals')::int = 0 and (${point}->>'max')::float8 - (${point}->>'min')::float8 <= 3)`;

/**
 * Contacts and states confirm by holding; nothing is stuck that may rightly stand still; sheets keep the pins that they gave; ordinary
 * switching can be told in the journal instead of as an alert.
 */
export const mend010: Migration = {
  name: '010-mend',
  run: async (database: Knex) => {
    await database.raw(`update point set body = ${mendedPoint('body')}`);
    await database.raw(`
      update threshold_version v set rule = jsonb_set(v.rule, '{confirm}', '"hold"')
      from threshold t join point p on p.id = t.point_id
      where v.threshold_id = t.id and v.version = t.version and p.body->>'confirm' = 'hold'`);
    await database.raw(`update threshold_version set rule = rule || '{"tells": "alert"}' where rule->>'tells' is null`);
    await database.raw(`
      update build_sheet set body = jsonb_set(body, '{points}',
        coalesce((select jsonb_agg(${mendedPoint('one.point')} order by one.place) from jsonb_array_elements(body->'points') with ordinality as one(point, place)), '[]'))`);
    const sheets = (await database('build_sheet').select('id', 'body')) as { id: number; body: StoredSheet }[];
    for (const { id, body } of sheets) {
      if (!body.draft) continue;
      const draft = { ...body.draft, given: givenOfWiring(body.wiring ?? []) };
      await database('build_sheet')
        .where({ id })
        .update({ body: JSON.stringify({ ...body, draft }) });
    }
    // The dashboard of all rooms has that address.
    await database.raw(`update room set slug = 'all-' || id where slug = 'all'`);
    await database.raw(`alter table alert add column journal boolean not null default false`);
  },
};
