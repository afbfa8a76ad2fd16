import { planLinks, remediesFor, TARGET_DB, type RemedyMeans } from '.';
import { station, node, wall, plan, parts, means } from './plan-radio.testing';

describe('remedies', () => {
  const thin = plan(
    { stations: [station('ap', 2, 2)], nodes: [node('near', 4, 4), node('deep', 26, 14)] },
    {
      walls: [
        wall('a', 'stone', [10, 0], [10, 20]),
        wall('b', 'stone', [18, 0], [18, 20]),
        wall('c', 'brick', [0, 0], [30, 0]),
        wall('d', 'brick', [0, 20], [30, 20]),
      ],
    },
  );
  it('each does what it says when it is done', () => {
    const found = remediesFor(thin, parts, 'deep', means);
    expect(found.map((one) => one.kind).sort()).toEqual(['antenna', 'gateway set', 'move the node', 'move the station', 'repeater'].sort());
    for (const one of found) {
      const after = planLinks(one.plan, parts).find(({ node: placed }) => placed.node === 'deep')!.link!;
      const own = one.kind === 'repeater' ? Math.min(after.marginDb, one.marginAfterDb) : after.marginDb;
      expect(own).toBeCloseTo(one.marginAfterDb, 6);
      expect(one.marginAfterDb).toBeGreaterThan(one.marginBeforeDb);
      expect(one.enough).toBe(one.marginAfterDb >= TARGET_DB);
    }
    const ranks = found.map((one) => [one.enough ? 0 : 1, one.price] as const);
    expect([...ranks].sort((a, b) => a[0] - b[0] || a[1] - b[1])).toEqual(ranks);
  });
  it('asks no board for a connector that it has not, no cable to be longer than it is, and no node through a wall', () => {
    const of = (more: Partial<RemedyMeans>, given = thin) => remediesFor(given, parts, 'deep', { ...means, ...more });
    const kinds = (more: Partial<RemedyMeans>) => of(more).map((one) => one.kind);
    expect(kinds({ takesAntenna: () => false })).not.toContain('antenna');
    expect(kinds({ reachMetres: () => 0.4 })).not.toContain('move the node');
    // Two metres of cable, and a stone wall half a metre away on the side of the station: it stays on its side of it.
    const walled = { ...thin, nodes: [node('near', 4, 4), node('deep', 18.4, 14)] };
    const moved = of({ reachMetres: () => 2 }, walled).find((one) => one.kind === 'move the node');
    const place = moved?.plan.nodes.find((one) => one.node === 'deep');
    expect(place === undefined || (place.x > 18 && Math.hypot(place.x - 18.4, place.y - 14) <= 2)).toBe(true);
  });
  it('promises no gain that the limit for radiated power takes away, and offers nothing to a link that is sound', () => {
    const detail = (radiatedLimitDbm: number) =>
      remediesFor({ ...thin, model: { ...thin.model, radiatedLimitDbm } }, parts, 'deep', {
        ...means,
        antennas: means.antennas.slice(0, 1),
      }).find((one) => one.kind === 'antenna')?.detail ?? '';
    const wanted = /(\d+) dBi without a cable would make it sound/;
    const open = wanted.exec(detail(60));
    expect(open).not.toBeNull();
    // What it says is tried: with that gain the link is sound, with one less it is not.
    const reached = (dbi: number): number =>
      planLinks(
        {
          ...thin,
          model: { ...thin.model, radiatedLimitDbm: 60 },
          nodes: thin.nodes.map((one) => (one.node === 'deep' ? { ...one, antenna: 'tried', cableDb: 0 } : one)),
        },
        { ...parts, antenna: (id) => (id === 'tried' ? { gainDbi: dbi, beamDegrees: 360 } : parts.antenna(id)) },
      ).find(({ node: placed }) => placed.node === 'deep')!.link!.marginDb;
    expect([reached(Number(open![1])) >= TARGET_DB, reached(Number(open![1]) - 1) >= TARGET_DB]).toEqual([true, false]);
    expect(detail(17)).toBe('');
    expect(detail(18.5)).toMatch(/no antenna makes it sound within that limit/);
    expect(remediesFor(thin, parts, 'near', means)).toEqual([]);
  });
  it('moving the access point leaves nobody else short', () => {
    const moved = remediesFor(thin, parts, 'deep', means).find((one) => one.kind === 'move the station')!;
    expect(planLinks(moved.plan, parts).every(({ link }) => link!.marginDb >= 0)).toBe(true);
  });
  it('180 m off only a gateway set is enough', () => {
    const hut = { ...thin, nodes: [...thin.nodes, node('hut-level', 180, 4)] };
    const enough = remediesFor(hut, parts, 'hut-level', means).filter((one) => one.enough);
    expect(enough.map((one) => one.kind)).toEqual(['gateway set']);
    const through = remediesFor(enough[0]!.plan, parts, 'hut-level', means);
    expect(through.every((one) => one.kind !== 'gateway set')).toBe(true);
  });
  it('another channel where a neighbour disturbs, and none where nobody does', () => {
    const crowded = { ...thin, stations: [station('ap', 2, 2), station('other', 30, 14, { channel: 5, kind: 'gateway' })] };
    const found = remediesFor(crowded, parts, 'deep', means).find((one) => one.kind === 'channel')!;
    expect(found.title).toMatch(/channel (11|1)$/);
    expect(remediesFor(thin, parts, 'deep', means).some((one) => one.kind === 'channel')).toBe(false);
  });
});
