import { migrate, type Database } from '../src/database/connect';

/** Migrations from the nineteenth on, over the database that those before have filled and left. */
export function itMigratesSince019(of: () => Database): void {
  let database: Database;
  beforeAll(() => {
    database = of();
  });

  it('a filled database of the version before: no reading of before came with a file', async () => {
    const readings = await database('reading').orderBy('at');

    await migrate(database, '019-imports');

    expect(await database('reading').orderBy('at')).toEqual(readings.map((row) => ({ ...row, import_id: null })));
    expect(await database('import')).toEqual([]);
    await expect(
      database('import').insert({ name: 'a', bytes: 1, state: 'guessing', settings: '{}', found: '{}', made_by: 'baker' }),
    ).rejects.toThrow(/import_state_check/);
  });

  it('a filled database of the version before: no point is held', async () => {
    const bodies = (await database('point').orderBy('id')).map((row) => row.body);

    await migrate(database, '020-holds');

    const points = await database('point').orderBy('id');
    expect(points.map(({ body, held_until }) => [body, held_until])).toEqual(bodies.map((body) => [body, null]));
  });

  it('a filled database of the version before: its networks tell their names and keep their passphrases', async () => {
    await database('site_network').delete();
    await database('site_network').insert({ place: 1, name: 'wrenfold-nodes', passphrase_sealed: 'sealed before' });

    await migrate(database, '021-networks');

    expect(await database('site_network')).toEqual([
      { place: 1, name: 'wrenfold-nodes', passphrase_sealed: 'sealed before', hidden: false },
    ]);
    await database('site_network').insert({ place: 2, name: 'wrenfold-guests', passphrase_sealed: null });
  });

  it('a filled database of the version before: everything is kept, and everything counts', async () => {
    const nodes = await database('node').orderBy('id');

    await migrate(database, '022-kept');

    await database('site').insert({ name: 'Wrenfold Mill', timezone: 'UTC' }).onConflict('one').ignore();
    expect(await database('site').select('raw_months', 'raw_from')).toEqual([{ raw_months: null, raw_from: null }]);
    expect(await database('node').orderBy('id')).toEqual(nodes.map((row) => ({ ...row, live_since: null })));
    await expect(database('site').update({ raw_months: 1 })).rejects.toThrow(/raw_months/);
  });

  it('a filled database of the version before: its nodes stay what they are, and one for computed points may stand beside them', async () => {
    const nodes = await database('node').orderBy('id');

    await migrate(database, '023-computed');

    expect(await database('node').orderBy('id')).toEqual(nodes);
    for (const table of ['computed', 'computed_version', 'computed_input']) expect(await database(table)).toEqual([]);
    const [{ room_id, report_seconds }] = nodes;
    const made = { name: 'computed-loft', room_id, report_seconds, key_digest: Buffer.alloc(32, 23), state: 'proved' };
    await database('node').insert({ ...made, kind: 'computed' });
    await expect(database('node').insert({ ...made, name: 'oracle', kind: 'guessed' })).rejects.toThrow(/node_kind_check/);
    await database('node').where({ name: 'computed-loft' }).delete();
  });

  it('a filled database of the version before: no calibration of before is due', async () => {
    const [point] = await database('point').orderBy('id');
    const made = { point_id: point.id, version: 1, method: 'offset', captures: '[]', gain: 1, value_offset: 0, uncertainty: 0 };
    await database('calibration').insert({ ...made, valid_from: new Date(), note: '', made_by: 'baker' });

    await migrate(database, '024-due');

    expect(await database('calibration').pluck('due_at')).toEqual([null]);
    await database('calibration').delete();
  });

  it('a filled database of the version before: its readings stay, and none of them waits to be forwarded', async () => {
    const readings = await database('reading').orderBy('at');

    await migrate(database, '025-forward');

    expect(await database('reading').orderBy('at')).toEqual(readings);
    for (const table of ['forward', 'forward_point', 'forward_item']) expect(await database(table)).toEqual([]);
    const [{ id }] = await database('forward').insert({ settings: '{}', made_by: 'baker' }).returning('id');
    const [point] = await database('point').orderBy('id');
    await database('forward_point').insert({ forward_id: id, point_id: point.id, place: 0 });
    await database('forward_item').insert({ forward_id: id, point_id: point.id, at: new Date(), value: 1, suspect: false });
    await database('forward').where({ id }).delete();
    expect(await database('forward_item')).toEqual([]);
  });

  it('a filled database of the version before: its calibrations are straight, and convert as they did', async () => {
    const [point] = await database('point').orderBy('id');
    const made = { point_id: point.id, version: 1, method: 'two-point', captures: '[]', gain: 2, value_offset: 3, uncertainty: 0 };
    await database('calibration').insert({ ...made, valid_from: new Date(), note: '', made_by: 'baker' });
    const before = await database('calibration');

    await migrate(database, '026-curves');

    expect(await database('calibration')).toEqual(before.map((row) => ({ ...row, curve: null, recipe: null })));
    await database('calibration').delete();
  });

  it('a filled database of the version before: nobody has laid routes, and what is open counts as told', async () => {
    const open = (await database('alert').whereNull('cleared_at').where({ journal: false }).orderBy('id')).map(({ id }) => id);
    expect(open.length).toBeGreaterThan(0);

    await migrate(database, '027-routes');

    expect(await database('route_plan')).toEqual([]);
    const told = await database('alert').whereNotNull('told').orderBy('id');
    expect(told.map((row) => [row.id, row.told])).toEqual(open.map((id) => [id, { at: { 0: expect.any(Number) }, to: [], shiftMs: 0 }]));
  });

  it('a filled database of the version before: its alerts stay, and further kinds may open', async () => {
    const alerts = await database('alert').orderBy('id');

    await migrate(database, '028-built-in');

    expect(await database('alert').orderBy('id')).toEqual(alerts);
    const [{ id: node }] = await database('node').orderBy('id', 'desc');
    const made = { node_id: node, severity: 'advisory', title: 'Battery low', body: '', tripped_at: new Date(), cleared_at: new Date() };
    await database('alert').insert({ ...made, kind: 'battery-low' });
    await expect(database('alert').insert({ ...made, kind: 'bored' })).rejects.toThrow(/alert_kind_check/);
    await database('alert').where({ kind: 'battery-low' }).delete();
  });

  it('a filled database of the version before: no output is locked out, and a lock has a name and a reason', async () => {
    const points = await database('point').orderBy('id');

    await migrate(database, '029-locks');

    const none = { locked_by: null, locked_at: null, locked_until: null, lock_reason: null };
    expect(await database('point').orderBy('id')).toEqual(points.map((row) => ({ ...row, ...none })));
    await expect(database('point').update({ locked_by: 'baker' })).rejects.toThrow(/point_lock_is_whole/);
  });

  it('a filled database of the version before: no alert is on a shelf, and a shelf has a name and a reason', async () => {
    const alerts = await database('alert').orderBy('id');
    expect(alerts.length).toBeGreaterThan(0);

    await migrate(database, '030-shelves');

    const none = { shelved_until: null, shelved_by: null, shelved_why: null };
    expect(await database('alert').orderBy('id')).toEqual(alerts.map((row) => ({ ...row, ...none })));
    expect(await database('shelf')).toEqual([]);
    await expect(database('alert').update({ shelved_until: new Date() })).rejects.toThrow(/alert_shelf_is_whole/);
  });

  it('a filled database of the version before: nothing is known of supplies and signals of before, and what says nothing is none', async () => {
    const nodes = await database('node').orderBy('id');
    expect(nodes.length).toBeGreaterThan(0);

    await migrate(database, '031-node-facts');

    expect(await database('node').orderBy('id')).toEqual(nodes);
    expect(await database('node_fact')).toEqual([]);
    const says = (fact: object) => database('node_fact').insert({ node_id: nodes[0].id, at: new Date(), ...fact });
    await expect(says({})).rejects.toThrow(/node_fact_says_something/);
    await says({ rssi_dbm: -61 });
  });

  it('a filled database of the version before: no rule was ever tested, and one test runs at a time', async () => {
    const rules = await database('threshold').orderBy('id');
    expect(rules.length).toBeGreaterThan(0);

    await migrate(database, '032-trip-tests');

    expect(await database('threshold').orderBy('id')).toEqual(rules);
    expect(await database('trip_test')).toEqual([]);
    const test = {
      threshold_id: rules[0].id,
      version: 1,
      title: 'Humidity too low',
      by_whom: 'millwright',
      how: 'setpoint',
      setpoint: 60,
      value: 59,
    };
    const times = { begun_at: new Date(), until: new Date() };
    await database('trip_test').insert({ ...test, ...times });
    await expect(database('trip_test').insert({ ...test, ...times })).rejects.toThrow(/trip_test_alone/);
    await expect(database('trip_test').update({ ended_at: new Date() })).rejects.toThrow(/trip_test_ends_whole/);
  });

  it('a filled database of the version before: no output has a timetable, and demands of before stand', async () => {
    const demands = await database('demand').orderBy('id');

    await migrate(database, '033-timetables');

    expect(await database('demand').orderBy('id')).toEqual(demands);
    expect(await database('timetable')).toEqual([]);
    const [point] = await database('point').limit(1);
    const demand = { point_id: point.id, source: 'timetable', started_at: new Date(), by_whom: 'timetable', reason: 'timetable, 06:00' };
    await database('demand').insert(demand);
    await expect(database('demand').insert({ ...demand, source: 'nobody' })).rejects.toThrow(/demand_source_check/);
  });

  it('a filled database of the version before: of no calibration is it said beside what it was made', async () => {
    const [point] = await database('point').limit(1);
    await database('calibration').insert({
      ...{ point_id: point.id, version: 1, method: 'offset', captures: '[]', gain: 1, value_offset: 0.2, uncertainty: 0.1 },
      ...{ valid_from: new Date(), note: '', made_by: 'millwright' },
    });
    const calibrations = await database('calibration').orderBy(['point_id', 'version']);

    await migrate(database, '034-references');

    expect(await database('calibration').orderBy(['point_id', 'version'])).toEqual(
      calibrations.map((row) => ({ ...row, reference_id: null, reference_overdue: false })),
    );
    expect(await database('reference')).toEqual([]);
    const glass = { name: 'Glass', unit: '°C', low: 0, high: 50, uncertainty: 0.1, certificate: '', made_by: 'millwright' };
    await expect(database('reference').insert({ ...glass, high: 0 })).rejects.toThrow(/reference_shows_something/);
    await database('reference').insert(glass);
    await expect(database('reference').insert({ ...glass, name: 'GLASS' })).rejects.toThrow(/reference_name/);
  });

  it('a filled database of the version before: every calibration was made where it is, and only what was inherited is confirmed', async () => {
    const calibrations = await database('calibration').orderBy(['point_id', 'version']);
    expect(calibrations.length).toBeGreaterThan(0);

    await migrate(database, '035-inherited');

    const none = { inherited_from: null, confirmed_at: null, confirmed_by: null };
    expect(await database('calibration').orderBy(['point_id', 'version'])).toEqual(calibrations.map((row) => ({ ...row, ...none })));
    await expect(database('calibration').update({ confirmed_at: new Date(), confirmed_by: 'baker' })).rejects.toThrow(/confirmed_whole/);
  });

  it('a filled database of the version before: what happened to alerts stands, and nothing is known of their causes', async () => {
    const [node] = await database('node').limit(1);
    const alert = {
      kind: 'silent',
      node_id: node.id,
      severity: 'warning',
      title: 'silent',
      body: '',
      tripped_at: new Date(),
      cleared_at: new Date(),
    };
    const [{ id }] = await database('alert').insert(alert).returning('id');
    await database('alert_event').insert({ alert_id: id, what: 'tripped' });
    const [alerts, events] = [await database('alert').orderBy('id'), await database('alert_event').orderBy('id')];

    await migrate(database, '036-alert-life');

    expect(await database('alert').orderBy('id')).toEqual(alerts.map((row) => ({ ...row, cause: null, remedy: null })));
    expect(await database('alert_event').orderBy('id')).toEqual(events.map((row) => ({ ...row, kind: 'life' })));
    await expect(database('alert_event').insert({ alert_id: id, what: 'x', kind: 'gossip' })).rejects.toThrow(/alert_event_kind_check/);
  });

  it('a filled database of the version before: ways go on, and a node may be one', async () => {
    const made = { name: 'Night desk', settings: '{"url":"https://example.org/"}', least: 'warning', notices: true, made_by: 'millwright' };
    await database('way').insert({ ...made, kind: 'webhook' });
    const ways = await database('way').orderBy('id');

    await migrate(database, '037-node-ways');

    expect(await database('way').orderBy('id')).toEqual(ways);
    await database('way').insert({ ...made, kind: 'node', settings: '{"node":"floor-1"}' });
    await expect(database('way').insert({ ...made, kind: 'pigeon' })).rejects.toThrow(/way_kind_check/);
  });

  it('a filled database of the version before: every point is judged as its sheet says, and no calibration follows a law', async () => {
    const [points, calibrations] = [await database('point').orderBy('id'), await database('calibration').orderBy(['point_id', 'version'])];
    const [point] = points;

    await migrate(database, '038-judged-and-noted');

    expect(await database('point').orderBy('id')).toEqual(points.map((row) => ({ ...row, judging: null })));
    expect(await database('calibration').orderBy(['point_id', 'version'])).toEqual(calibrations.map((row) => ({ ...row, law: null })));
    expect(await database('happening')).toEqual([]);
    const note = { node_id: point.node_id, point_id: point.id, at: new Date(), kind: 'note', text: 'wiped', made_by: 'baker' };
    await database('happening').insert(note);
    await expect(database('happening').insert({ ...note, made_by: null })).rejects.toThrow(/note_by_somebody/);
    await expect(database('happening').insert({ ...note, kind: 'rumour' })).rejects.toThrow(/happening_kind_check/);
  });

  it('a filled database of the version before: no alert is latched, and nothing was drilled', async () => {
    const alerts = await database('alert').orderBy('id');
    expect(alerts.length).toBeGreaterThan(0);

    await migrate(database, '039-latched');

    expect(await database('alert').orderBy('id')).toEqual(alerts.map((row) => ({ ...row, returned_at: null })));
    const drill = { kind: 'flood', by_whom: 'millwright', begun_at: new Date() };
    await database('drill').insert(drill);
    const [one, other] = await database('point').orderBy('id').limit(2).pluck('id');
    await database('interlock').insert({ winner_id: one, loser_id: other, made_by: 'millwright' });
    await expect(database('interlock').insert({ winner_id: one, loser_id: one, made_by: 'millwright' })).rejects.toThrow(
      /interlock_of_two/,
    );
    // One at a time, and what is over says how it ended.
    await expect(database('drill').insert(drill)).rejects.toThrow(/drill_alone/);
    await expect(database('drill').update({ ended_at: new Date() })).rejects.toThrow(/drill_ends_whole/);
  });
}
