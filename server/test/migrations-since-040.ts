import { migrate, type Database } from '../src/database/connect';

/** Migrations from the fortieth on, over the database that those before have filled and left. */
export function itMigratesSince040(of: () => Database): void {
  let database: Database;
  beforeAll(() => {
    database = of();
  });

  it('a filled database of the version before: ways go on, browsers and pages may be ways, and the house has no key yet', async () => {
    const ways = await database('way').orderBy('id');
    expect(ways.length).toBeGreaterThan(0);

    await migrate(database, '040-push');

    expect(await database('way').orderBy('id')).toEqual(ways);
    const made = { name: 'Phone', settings: '{}', least: 'warning', notices: true, made_by: 'millwright' };
    await database('way').insert(['push', 'page'].map((kind) => ({ ...made, kind })));
    await expect(database('way').insert({ ...made, kind: 'pigeon' })).rejects.toThrow(/way_kind_check/);
    expect(await database('push_identity')).toEqual([]);
    const key = { public_key: 'a', private_sealed: 'b' };
    await database('push_identity').insert(key);
    await expect(database('push_identity').insert(key)).rejects.toThrow(/push_identity_pkey/);
  });

  it('a filled database of the version before: rules stand as they did, and nothing follows them', async () => {
    const rules = await database('threshold').orderBy('id');
    expect(rules.length).toBeGreaterThan(0);

    await migrate(database, '041-followers');

    expect(await database('threshold').orderBy('id')).toEqual(rules);
    const [node] = await database('node').orderBy('id').limit(1).pluck('id');
    const look = { light: 'red', text: '' };
    const follower = { node_id: node, threshold_id: rules[0].id, beyond: look, otherwise: look, made_by: 'millwright' };
    await database('follower').insert(follower);
    // A lamp follows one rule.
    await expect(database('follower').insert(follower)).rejects.toThrow(/follower_node_id/);
  });

  it('a filled database of the version before: no output is limited, and alerts stand as they did', async () => {
    const alerts = await database('alert').orderBy('id');

    await migrate(database, '042-output-limits');

    expect(await database('alert').orderBy('id')).toEqual(alerts);
    expect(await database('output_limit')).toEqual([]);
    const [point] = await database('point').orderBy('id').limit(1).pluck('id');
    await database('output_limit').insert({ point_id: point, version: 1, body: '{}', made_by: 'millwright' });
    const [{ id }] = alerts;
    await database('alert').where({ id }).update({ kind: 'guard-ended' });
    await expect(database('alert').where({ id }).update({ kind: 'boredom' })).rejects.toThrow(/alert_kind_check/);
    await database('alert').where({ id }).update({ kind: alerts[0].kind });
  });

  it('a filled database of the version before: notices stand as they did, and one may be of a node alone', async () => {
    const notices = await database('notice').orderBy('id');

    await migrate(database, '043-house-news');

    expect(await database('notice').orderBy('id')).toEqual(notices);
    const [node] = await database('node').orderBy('id').limit(1).pluck('id');
    const news = { node_id: node, edge: 'trip', title: 'started anew', at: new Date(), told: true };
    await database('notice').insert(news);
    await expect(database('notice').insert({ ...news, value: 3 })).rejects.toThrow(/notice_of_a_rule_whole/);
  });

  it('a filled database of the version before: versions of rules stand, and say nothing of why', async () => {
    const versions = await database('threshold_version').orderBy(['threshold_id', 'version']);
    expect(versions.length).toBeGreaterThan(0);

    await migrate(database, '044-why-a-version');

    expect(await database('threshold_version').orderBy(['threshold_id', 'version'])).toEqual(versions.map((row) => ({ ...row, why: '' })));
  });

  it('a filled database of the version before: trip tests stand, and moved nothing but a setpoint', async () => {
    const [{ threshold_id: rule, version }] = await database('threshold_version').limit(1);
    await database('trip_test').insert({
      ...{ threshold_id: rule, version, title: 'Humidity too low', by_whom: 'millwright', how: 'setpoint', setpoint: 60.5, value: 60 },
      ...{ begun_at: new Date(), until: new Date(), ended_at: new Date(), ended_why: 'every leg has ended', passed: true },
    });
    const tests = await database('trip_test').orderBy('id');

    await migrate(database, '045-forced');

    expect(await database('trip_test').orderBy('id')).toEqual(tests.map((row) => ({ ...row, low: null, also_setpoint: null })));
  });
}
