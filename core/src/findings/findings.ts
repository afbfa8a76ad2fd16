import { counted } from '../quantity';
import { addressProblem, checkCredentials, type AddressPlan } from '../network';
import { surenessOf, type PlanLink } from '../radio';
import { isInside, type SitePlan } from '../site-plan';
import type { Check, SupplyRole } from '../circuit';

/** One thing that fails or warns anywhere in the plan, with what finding it out later would cost. */
export interface Finding {
  readonly verdict: 'fail' | 'warn';
  readonly title: string;
  readonly detail: string;
  /** Nodes that it touches. */
  readonly nodes: number;
  /** It may hurt someone, or burn: before everything else. */
  readonly harm: boolean;
  /** Hours of work that it costs when it is found after building. Common practice, from memory. */
  readonly hoursLater: number;
  /** Where to mend it. */
  readonly at:
    | { readonly page: 'sheet'; readonly slug: string }
    | { readonly page: 'site plan'; readonly node: string | null }
    | { readonly page: 'addresses' };
}

export interface SiteSheet {
  readonly slug: string;
  readonly name: string;
  readonly nodes: number;
  readonly behind: number;
  readonly checks: readonly Check[];
  /** How long its supply carries a node, the low end, and what that means; `null` without a battery. */
  readonly battery: { readonly role: SupplyRole; readonly days: number } | null;
}

export interface SiteNode {
  readonly id: string;
  readonly room: string;
}

/** Everything that is planned of a site. */
export interface SitePlanned {
  readonly sheets: readonly SiteSheet[];
  readonly nodes: readonly SiteNode[];
  readonly plan: SitePlan;
  readonly links: readonly { readonly node: { readonly node: string }; readonly link: PlanLink | null }[];
  /** Names of the networks; passphrases are sealed and were checked when they were typed. */
  readonly networks: readonly string[] | null;
  readonly addresses: {
    readonly how: 'static' | 'reserved' | 'router';
    readonly subnets: readonly (AddressPlan & { readonly id: string })[];
    readonly nodes: readonly { readonly node: string; readonly address: string | null; readonly subnet: string }[];
  } | null;
}

/** Checks whose failing may hurt someone. */
const HARM = new Set([
  'fail-safe',
  'protection',
  'contact',
  'fuse',
  'start-level',
  'coil',
  'watchdog',
  'max-run',
  'wiring',
  'measured-volts',
  'unseen',
  'sign-of-life',
  'frost',
]);
/** Hours a node: taking it down, soldering anew, writing and hanging it again. Common practice, from memory. */
const HOURS: Readonly<Record<string, number>> = {
  pins: 1.5,
  'pin-kept': 1.5,
  strap: 1,
  'i2c-pull-up': 0.75,
  'i2c-address': 0.75,
  'adc-range': 1,
  'logic-volts': 1.5,
  'part-volts': 1.5,
  'supply-volts': 1,
  sag: 1,
  weather: 1.5,
  wake: 1,
  lease: 1,
  unseen: 1.5,
  'pulses-asleep': 1.5,
  'always-fed': 1.5,
  wiring: 1.5,
  'measured-volts': 1.5,
  antenna: 1,
};
const VISIT_HOURS = 0.5;
const MOVE_HOURS = 1.5;
const REWRITE_HOURS = 0.2;
const YEARS = 2;
const SHORT_LIFE_DAYS = 365;
const FAILING_LIFE_DAYS = 90;
/** Days without sun that a panel's battery should carry, and of a power cut that a backup should. Common practice. */
const DARK_DAYS = 5;
const CUT_DAYS = 0.25;

const nodesHave = (count: number): string => (count === 1 ? 'One node has' : `${count} nodes have`);

/** All that fails or warns in what is planned, dearest to find out later first; what may hurt someone comes before all. */
export function siteFindings(planned: SitePlanned): Finding[] {
  const found = [...ofSheets(planned.sheets), ...ofLinks(planned), ...ofPlaces(planned), ...ofNetwork(planned)];
  return found.sort(
    (a, b) => Number(b.harm) - Number(a.harm) || b.hoursLater - a.hoursLater || Number(a.verdict === 'warn') - Number(b.verdict === 'warn'),
  );
}

function ofSheets(sheets: readonly SiteSheet[]): Finding[] {
  return sheets.flatMap((sheet) => {
    const at = { page: 'sheet' as const, slug: sheet.slug };
    const count = Math.max(1, sheet.nodes);
    const checks = sheet.checks.flatMap((check): Finding[] => {
      if (check.verdict === 'pass') return [];
      const hours = HOURS[check.id] ?? (check.verdict === 'fail' ? 1 : 0.25);
      return [
        {
          verdict: check.verdict,
          title: `${sheet.name}: ${check.title.charAt(0).toLowerCase()}${check.title.slice(1)}`,
          detail: `${check.figure}${check.limit ? `, limit ${check.limit}` : ''}. ${check.reason}`,
          nodes: sheet.nodes,
          // Frost only warns, and may burn all the same.
          harm: (check.verdict === 'fail' || check.id === 'frost') && HARM.has(check.id),
          hoursLater: hours * count,
          at,
        },
      ];
    });
    // The same reminder of several parts of a sheet is one.
    const once = checks.filter((one, i) => checks.findIndex((other) => other.title === one.title && other.detail === one.detail) === i);
    const life = ofBattery(sheet, at);
    if (life) once.push(life);
    if (sheet.behind > 0)
      once.push({
        verdict: 'warn',
        title: `${sheet.name}: ${sheet.behind === 1 ? 'one node runs' : `${sheet.behind} nodes run`} an older version`,
        detail: 'Their wiring and points are those of the sheet before: write them again, or build them as it says now.',
        nodes: sheet.behind,
        harm: false,
        hoursLater: sheet.behind * REWRITE_HOURS,
        at,
      });
    return once;
  });
}

/** A battery that is changed too often, or carries its node too short a time through the dark or a power cut. */
function ofBattery(sheet: SiteSheet, at: Finding['at']): Finding | null {
  if (sheet.battery === null || sheet.nodes === 0) return null;
  const { role, days } = sheet.battery;
  const about = { nodes: sheet.nodes, harm: false, at };
  if (role === 'primary' || role === 'rechargeable') {
    if (days >= SHORT_LIFE_DAYS) return null;
    const changes = Math.floor((YEARS * 365) / Math.max(1, days));
    const act = role === 'primary' ? 'change' : 'charge';
    return {
      ...about,
      verdict: days < FAILING_LIFE_DAYS ? 'fail' : 'warn',
      title: `${sheet.name}: the battery may last ${counted(Math.floor(days), 'day')} only`,
      detail: `${counted(changes, act)} in two years at ${sheet.nodes === 1 ? 'its one node' : `each of its ${sheet.nodes} nodes`}. Report less often, or take a larger battery.`,
      hoursLater: changes * sheet.nodes * VISIT_HOURS,
    };
  }
  const wanted = role === 'charged by panel' ? DARK_DAYS : CUT_DAYS;
  if (role === 'mains' || days >= wanted) return null;
  const hours = Math.floor(days * 24);
  return {
    ...about,
    verdict: 'warn',
    title: `${sheet.name}: its battery carries it ${days < 2 ? counted(hours, 'hour') : counted(Math.floor(days), 'day')} only`,
    detail:
      role === 'charged by panel'
        ? 'A dark week empties it, whatever the panel: take a larger battery, or report less often.'
        : 'A longer power cut takes it along: take a larger battery where it has to go on.',
    hoursLater: sheet.nodes * VISIT_HOURS,
  };
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
