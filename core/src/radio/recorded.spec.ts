import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { sitePlanSchema, type SitePlan } from '../site-plan';
import {
  answeredDelivery,
  Building,
  coverage,
  coverageGrid,
  planLink,
  planLinks,
  remediesFor,
  strongestInterferer,
  TARGET_DB,
  type RadioParts,
  type RemedyMeans,
} from '.';

/*
 * What is said of the links of a drawn building, on record as in `circuit/recorded.spec.ts`: looked at whenever it changes. And of every
 * remedy, that it does on the plan what it promises.
 */
const mill = sitePlanSchema.parse(JSON.parse(readFileSync(join(__dirname, '../../../server/demo/wrenfold-mill-plan.json'), 'utf8')));
const ANTENNAS: Record<string, { gainDbi: number; beamDegrees: number }> = {
  'antenna-whip': { gainDbi: 3, beamDegrees: 360 },
  'antenna-panel': { gainDbi: 12, beamDegrees: 40 },
};
const parts: RadioParts = { antenna: (id) => ANTENNAS[id] ?? { gainDbi: 0, beamDegrees: 360 }, nodePowerDbm: () => 17 };
const means: RemedyMeans = {
  antennas: Object.entries(ANTENNAS).map(([id, gain]) => ({ id, name: id, ...gain, price: 10, cableDb: 0.5 })),
  repeaterPrice: 25,
  gatewayPrice: 90,
  stationAntenna: 'antenna-whip',
  takesAntenna: () => true,
  reachMetres: () => 6,
};
/** The same building where it is harder: less power, thicker air, and a floor more between. */
const harder: SitePlan = {
  ...mill,
  stations: mill.stations.map((station) => ({ ...station, powerDbm: station.powerDbm - 22, channel: 1 })),
  nodes: mill.nodes.map((node) => ({ ...node, via: null })),
};
const round = (value: number): number => Number(value.toFixed(3));
const numbers = (_: string, value: unknown): unknown => (typeof value === 'number' ? round(value) : value);

describe.each([
  ['as drawn', mill],
  ['with weak stations, all on one channel', harder],
] as const)('%s', (_, plan) => {
  it('every link', () => {
    expect(planLinks(plan, parts).map(({ node, link }) => `${node.node} ${JSON.stringify(link, numbers)}`)).toMatchSnapshot();
  });
  it('what disturbs each', () => {
    const building = Building.of(plan);
    expect(
      planLinks(plan, parts).map(({ node, link }) => {
        const worst = link && strongestInterferer(building, plan, parts, node, link);
        return `${node.node} ${worst ? `${worst.station.id} ${round(worst.belowDb)}` : 'nobody'}`;
      }),
    ).toMatchSnapshot();
  });
  it.each(plan.nodes.map(({ node }) => node))('remedies for %s do on the plan what they promise', (node) => {
    const found = remediesFor(plan, parts, node, means);
    expect(
      found.map(({ plan: changed, ...said }) => ({ ...said, stations: changed.stations.length, nodes: changed.nodes.length })),
    ).toMatchSnapshot();
    const nodeOf = (of: SitePlan) => of.nodes.find((one) => one.node === node)!;
    for (const remedy of found.filter(({ enough, kind }) => enough && kind !== 'channel')) {
      const building = Building.of(remedy.plan);
      const margins = remedy.plan.stations.map((station) => planLink(building, remedy.plan, parts, nodeOf(remedy.plan), station).marginDb);
      expect(Math.max(...margins)).toBeGreaterThanOrEqual(TARGET_DB);
    }
  });
  it.each(plan.floors.map(({ id }) => id))('the field of floor %s', (floor) => {
    const grid = coverageGrid(floor, { left: -5, top: -5, right: 30, bottom: 20 }, 2.5);
    const field = coverage(plan, parts, grid, { heightMetres: 1, gainDbi: 0, powerDbm: 17 }, null);
    expect([...field!].map((value) => Math.round(value)).join(' ')).toMatchSnapshot();
  });
});

it('repeats that wait for an answer: worked by hand', () => {
  // Losses that know nothing of each other: one try at 0.2 arrives with 0.8; a second and third bring it to 1 − 0.2³.
  const far = [1e6, 1e6];
  const { chance, sends } = answeredDelivery(0.2, 0.001, far);
  expect(chance).toBeCloseTo(1 - 0.2 ** 3, 6);
  // 1, then 0.2 of a second, then 0.04 of a third.
  expect(sends).toBeCloseTo(1.24, 6);
  // At once after each other a bad spell lasts: more tries help less.
  expect(answeredDelivery(0.2, 10, [0.001, 0.001]).chance).toBeLessThan(0.81);
});
