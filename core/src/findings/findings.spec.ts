import type { Check } from '../circuit';
import { planLinks, type RadioParts } from '../radio';
import { emptyPlan, type SitePlan } from '../site-plan';
import { siteFindings, type SitePlanned, type SiteSheet } from '.';

const check = (id: string, verdict: Check['verdict'], at = ''): Check => ({
  id,
  verdict,
  title: `Title of ${id}`,
  figure: '1',
  limit: '2',
  reason: 'Because.',
  at,
});
const sheet = (name: string, nodes: number, checks: Check[], more: Partial<SiteSheet> = {}): SiteSheet => ({
  slug: name,
  name,
  nodes,
  behind: 0,
  checks,
  battery: null,
  ...more,
});
const parts: RadioParts = { antenna: () => ({ gainDbi: 0, beamDegrees: 360 }), nodePowerDbm: () => 17 };
const drawn = (): SitePlan => {
  const plan = emptyPlan();
  const room = (id: string, name: string, left: number): SitePlan['floors'][number]['rooms'][number] => ({
    id,
    name,
    outline: [
      [left, 0],
      [left + 10, 0],
      [left + 10, 10],
      [left, 10],
    ],
  });
  plan.floors[0]!.rooms = [room('a', 'Cellar', 0), room('b', 'Loft', 10)];
  plan.stations = [
    {
      id: 'ap',
      name: 'AP',
      kind: 'access point',
      floor: 'ground',
      x: 1,
      y: 1,
      heightMetres: 2,
      channel: 1,
      powerDbm: 17,
      antenna: 'x',
      cableDb: 0,
      aimDegrees: 0,
    },
  ];
  const node = (name: string, x: number) => ({
    node: name,
    floor: 'ground',
    x,
    y: 5,
    heightMetres: 1,
    antenna: 'x',
    cableDb: 0,
    via: null,
  });
  plan.nodes = [node('near', 5), node('far', 400), node('thin', 150)];
  return plan;
};
const planned = (more: Partial<SitePlanned>): SitePlanned => {
  const plan = drawn();
  return { sheets: [], nodes: [], plan, links: planLinks(plan, parts), networks: ['wrenfold'], addresses: null, ...more };
};
const titles = (given: Partial<SitePlanned>): string[] => siteFindings(planned({ links: [], ...given })).map((one) => one.title);

describe('what a plan still has wrong', () => {
  it('comes with harm first, then by what it costs to find out later', () => {
    const found = siteFindings(
      planned({
        links: [],
        sheets: [
          sheet('posts', 20, [check('pins', 'fail')]),
          sheet('gate', 1, [check('protection', 'fail')]),
          sheet('one', 1, [check('pins', 'fail')]),
        ],
      }),
    );
    expect(found.map((one) => [one.title, one.harm])).toEqual([
      ['gate: title of protection', true],
      ['posts: title of pins', false],
      ['one: title of pins', false],
    ]);
    expect(found[1]!.hoursLater).toBe(20 * found[2]!.hoursLater);
  });
  it('leaves out what passes, and says the same thing of a sheet once', () => {
    expect(
      titles({ sheets: [sheet('s', 2, [check('fuse', 'warn', 'a'), check('fuse', 'warn', 'b'), check('adc-range', 'pass')])] }),
    ).toEqual(['s: title of fuse']);
  });
  it('names links that are short or thin, and leads to their node', () => {
    const found = siteFindings(planned({}));
    expect(found.map((one) => [one.verdict, one.title.split(' ')[0]])).toEqual([
      ['fail', 'far'],
      ['warn', 'thin'],
    ]);
    expect(found[0]!.at).toEqual({ page: 'site plan', node: 'far' });
    expect(found[0]!.detail).toMatch(
      /Wanted are −75 dBm\. The chance that the link is good enough is \d+ %; where the prediction is right it is so \d+ % of the time/,
    );
  });
  it('misses places, and rooms that the list and the drawing name differently', () => {
    const nodes = [
      { id: 'near', room: 'Loft' },
      { id: 'nowhere', room: 'Cellar' },
    ];
    expect(titles({ nodes }).sort()).toEqual(['One node has no place on the site plan', 'near is listed in Loft and drawn in Cellar']);
  });
  it('counts battery changes of two years, and fails below ninety days', () => {
    const life = (days: number, role: NonNullable<SiteSheet['battery']>['role'] = 'primary', nodes = 3) =>
      siteFindings(planned({ links: [], sheets: [sheet('cable', nodes, [], { battery: { role, days } })] }))[0];
    expect(life(100)).toMatchObject({ verdict: 'warn', hoursLater: 7 * 3 * 0.5 });
    expect([life(90)!.verdict, life(89.9)!.verdict, life(800)]).toEqual(['warn', 'fail', undefined]);
    expect(life(1, 'primary', 1)).toMatchObject({
      title: 'cable: the battery may last 1 day only',
      detail: expect.stringMatching(/^730 changes in two years at its one node\./),
    });
    expect(life(400 / 1.1, 'rechargeable')!.detail).toMatch(/^2 charges in two years at each of its 3 nodes/);
  });
  it('a backup of the mains is changed by nobody; it bridges power cuts, and a panel’s battery dark days', () => {
    const life = (role: NonNullable<SiteSheet['battery']>['role'], days: number) =>
      siteFindings(planned({ links: [], sheets: [sheet('hut', 1, [], { battery: { role, days } })] })).map((one) => one.title);
    expect(life('backup of mains', 2.4)).toEqual([]);
    expect(life('backup of mains', 0.1)).toEqual(['hut: its battery carries it 2 hours only']);
    expect(life('charged by panel', 20)).toEqual([]);
    expect(life('charged by panel', 3.2)).toEqual(['hut: its battery carries it 3 days only']);
  });
  it('finds clashing addresses, a name that sounds like 5 GHz, and no network at all', () => {
    const subnet = {
      id: 'site',
      network: '192.168.7.0',
      prefix: 24,
      router: '192.168.7.1',
      poolFirst: '192.168.7.100',
      poolLast: '192.168.7.199',
    };
    const addresses = {
      how: 'static' as const,
      subnets: [subnet],
      nodes: [
        { node: 'a', address: '192.168.7.20', subnet: 'site' },
        { node: 'b', address: '192.168.7.20', subnet: 'site' },
        { node: 'c', address: null, subnet: 'site' },
      ],
    };
    expect(titles({ addresses })).toEqual(['Address of b', 'One node has no address']);
    expect(titles({ networks: ['mill 5GHz'], nodes: [{ id: 'near', room: 'Cellar' }] })).toEqual(['Network mill 5GHz']);
    expect(titles({ networks: [], nodes: [{ id: 'near', room: 'Cellar' }] })).toEqual(['No network is set']);
  });
});
