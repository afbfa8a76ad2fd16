import { addressProblem, checkCredentials } from '../network';
import { surenessOf } from '../radio';
import { isInside } from '../site-plan';
import { MOVE_HOURS, REWRITE_HOURS, VISIT_HOURS, type Finding, type SitePlanned } from './finding';
import { ofSheets } from './sheet-findings';

const nodesHave = (count: number): string => (count === 1 ? 'One node has' : `${count} nodes have`);

/** All that fails or warns in what is planned, dearest to find out later first; what may hurt someone comes before all. */
export function siteFindings(planned: SitePlanned): Finding[] {
  const found = [...ofSheets(planned.sheets), ...ofLinks(planned), ...ofPlaces(planned), ...ofNetwork(planned)];
  return found.sort(
    (a, b) => Number(b.harm) - Number(a.harm) || b.hoursLater - a.hoursLater || Number(a.verdict === 'warn') - Number(b.verdict === 'warn'),
  );
}

function ofLinks({ links, plan }: SitePlanned): Finding[] {
  return links.flatMap(({ node: { node }, link }): Finding[] => {
    const about = { nodes: 1, harm: false, at: { page: 'site plan' as const, node } };
    if (!link)
      return [
        {
          ...about,
          verdict: 'fail',
          title: `${node} reaches no station`,
          detail: 'Place an access point, or send it through a gateway.',
          hoursLater: MOVE_HOURS * 2,
        },
      ];
    const over = Math.max(link.nodeRadiatedDbm, link.stationRadiatedDbm) - link.limitDbm;
    const limit: Finding[] =
      over > 0.05
        ? [
            {
              ...about,
              verdict: 'warn',
              title: `${node} or ${link.station.name} would radiate ${over.toFixed(1)} dB too much`,
              detail: `More than ${link.limitDbm} dBm is not allowed here: turn it down.`,
              hoursLater: VISIT_HOURS,
            },
          ]
        : [];
    const chance = `${`Wanted are ${plan.model.planningFloorDbm} dBm.`.replace('-', '−')} ${surenessOf(link)}`;
    if (link.class === 'short')
      return [
        ...limit,
        {
          ...about,
          verdict: 'fail',
          title: `${node} is ${(-link.marginDb).toFixed(0)} dB short of ${link.station.name}`,
          detail: `${chance} The site plan has remedies.`,
          hoursLater: MOVE_HOURS * 2 * (1 - link.chanceGood) + MOVE_HOURS,
        },
      ];
    if (link.class === 'thin')
      return [
        ...limit,
        {
          ...about,
          verdict: 'warn',
          title: `${node} has a thin link to ${link.station.name}, ${link.marginDb.toFixed(0)} dB`,
          detail: `${chance} The site plan has remedies.`,
          hoursLater: MOVE_HOURS * 2 * (1 - link.chanceGood),
        },
      ];
    return limit;
  });
}

function ofPlaces({ nodes, plan }: SitePlanned): Finding[] {
  const placed = new Map(plan.nodes.map((one) => [one.node, one]));
  const none = nodes.filter((node) => !placed.has(node.id));
  const drawn = plan.floors.some((floor) => floor.walls.length > 0 || floor.rooms.length > 0);
  const found: Finding[] = [];
  if (none.length > 0)
    found.push({
      verdict: 'warn',
      title: `${nodesHave(none.length)} no place on the site plan`,
      detail: `${none
        .slice(0, 4)
        .map((node) => node.id)
        .join(
          ', ',
        )}${none.length > 4 ? ' and more' : ''}: ${drawn ? (none.length === 1 ? 'its link is not known' : 'their links are not known') : 'nothing is drawn yet'}.`,
      nodes: none.length,
      harm: false,
      hoursLater: none.length * VISIT_HOURS * 0.5,
      at: { page: 'site plan', node: null },
    });
  for (const node of nodes) {
    const at = placed.get(node.id);
    const floor = plan.floors.find((one) => one.id === at?.floor);
    const room = floor?.rooms.find((one) => isInside(one.outline, [at?.x ?? 0, at?.y ?? 0]));
    const own = plan.floors.some((one) => one.rooms.some((other) => other.name === node.room));
    if (at && own && room && room.name !== node.room)
      found.push({
        verdict: 'warn',
        title: `${node.id} is listed in ${node.room} and drawn in ${room.name}`,
        detail: 'Alerts and labels would name the wrong room.',
        nodes: 1,
        harm: false,
        hoursLater: VISIT_HOURS,
        at: { page: 'site plan', node: node.id },
      });
  }
  return found;
}

function ofNetwork({ networks, addresses, nodes }: SitePlanned): Finding[] {
  const found: Finding[] = [];
  const all = nodes.length;
  const at = { page: 'addresses' as const };
  if (networks !== null) {
    if (networks.length === 0 && all > 0)
      found.push({
        verdict: 'fail',
        title: 'No network is set',
        detail: 'No node can be written before there is one.',
        nodes: all,
        harm: false,
        hoursLater: VISIT_HOURS,
        at,
      });
    for (const name of networks)
      for (const note of checkCredentials(name, 'was checked'))
        found.push({
          verdict: note.severity,
          title: `Network ${name}`,
          detail: note.text,
          nodes: all,
          harm: false,
          hoursLater: all * REWRITE_HOURS,
          at,
        });
  }
  if (addresses && addresses.how !== 'router') {
    const seen = new Map<string, string>();
    for (const { node, address, subnet: id } of addresses.nodes) {
      const subnet = addresses.subnets.find((one) => one.id === id) ?? addresses.subnets[0];
      const problem = address === null || !subnet ? null : addressProblem(subnet, address, seen, node);
      if (address !== null) seen.set(address, node);
      if (problem !== null)
        found.push({
          verdict: 'fail',
          title: `Address of ${node}`,
          detail: problem,
          nodes: 1,
          harm: false,
          hoursLater: VISIT_HOURS * 2,
          at,
        });
    }
    const without = addresses.nodes.filter((one) => one.address === null).length;
    if (without > 0)
      found.push({
        verdict: 'warn',
        title: `${nodesHave(without)} no address`,
        detail: 'Give them the next free ones; those that have one keep it.',
        nodes: without,
        harm: false,
        hoursLater: without * REWRITE_HOURS,
        at,
      });
  }
  return found;
}
