import type { UpdateReport } from '../wire';

/** How an image moves through the fleet. */
export interface RolloutRule {
  /** Nodes of the first step. */
  readonly canaries: number;
  /** Shares of all its nodes that are to have begun after each further step, rising; the last is 1. */
  readonly shares: readonly number[];
  /** How long a node must be back and healthy before it counts, s. */
  readonly settleSeconds: number;
  /** How long an always-on node may take to begin, to fetch on, and to report in, s. */
  readonly patienceSeconds: number;
  /** Share of the nodes begun so far that may fail before it halts. */
  readonly failShare: number;
  /** Minutes of the site's day between which nodes are told; over midnight where the end comes first. `null`: always. */
  readonly window: { readonly from: number; readonly to: number } | null;
  /** A halted rollout takes back what it has changed. */
  readonly rollBack: boolean;
}

/**
 * Where one node stands: waiting for its step; told; fetching; starting the new image; watched (back on it, not yet long
 * enough); healthy; failed; left out; told to go back; back.
 */
export const ROLLOUT_NODE_STATES = [
  'waiting',
  'told',
  'fetching',
  'starting',
  'watched',
  'healthy',
  'failed',
  'left-out',
  'going-back',
  'back',
] as const;
export type RolloutNodeState = (typeof ROLLOUT_NODE_STATES)[number];

export interface RolloutNode {
  readonly node: string;
  /** Which step it belongs to, from 0. */
  readonly step: number;
  readonly state: RolloutNodeState;
  /** When it came into this state, ms. */
  readonly since: number;
  /** It has come up on the new image; a node that failed after that still runs it. */
  readonly reached: boolean;
  /** Bytes it held when it said so last. */
  readonly bytes: number;
  readonly why: string;
}

export type RolloutState = 'running' | 'paused' | 'halted' | 'going-back' | 'rolled-back' | 'done';

export interface Rollout {
  readonly rule: RolloutRule;
  readonly state: RolloutState;
  readonly nodes: readonly RolloutNode[];
  readonly why: string;
}

/** What is known of a node now. */
export interface RolloutSight {
  readonly connected: boolean;
  /** Sleeps between reports: it is told at its next wake, however late. */
  readonly sleeps: boolean;
  /** Digest of the image it said it runs, and when it last said hello, ms. */
  readonly runs: string | null;
  readonly helloAt: number | null;
  /** Starts since it was told that were not the update's own. */
  readonly resets: number;
  /** Readings since it was back, against those that its usual rate gives, 0…; `null`: too early to say. */
  readonly rateShare: number | null;
  /** Why its supply is not fine, `null` where it is. */
  readonly supplyProblem: string | null;
  /** The newest word on the image offered. */
  readonly report: UpdateReport | null;
  readonly reportAt: number | null;
}

/** What is to be done after a step: nodes that are told of the new image, and those that are told to go back. */
export interface RolloutOrders {
  readonly tell: readonly string[];
  readonly goBack: readonly string[];
}

/** How long a node that is back on its old image has to say why before that is said for it, ms: its hello comes first. */
const WORD_MS = 5000;

/** Nodes told of an image at one look. */
export const TOLD_AT_ONCE = 4;

/** Usual share of the readings that a healthy node delivers: common practice, a few may be lost at the start. */
const HEALTHY_RATE = 0.8;

/** How many of the nodes have begun after each step: the canaries, then the rising shares; every step has a node more than the last. */
export function stepSizes(count: number, rule: Pick<RolloutRule, 'canaries' | 'shares'>): number[] {
  const sizes: number[] = [];
  for (const wanted of [rule.canaries, ...rule.shares.map((share) => Math.ceil(share * count))]) {
    const size = Math.min(count, Math.max(1, wanted));
    if (size > (sizes.at(-1) ?? 0)) sizes.push(size);
  }
  if (count > 0 && sizes.at(-1) !== count) sizes.push(count);
  return sizes;
}

/** Is this minute of the day within the window? Over midnight where its end comes first. */
export function inWindow(window: RolloutRule['window'], minute: number): boolean {
  if (window === null || window.from === window.to) return true;
  return window.from < window.to ? minute >= window.from && minute < window.to : minute >= window.from || minute < window.to;
}

const BEGUN: readonly RolloutNodeState[] = ['told', 'fetching', 'starting', 'watched', 'healthy', 'failed'];

/** The halting rule's present figure: failed nodes, and how many of those begun so far may fail. */
export function haltingFigure(rollout: Pick<Rollout, 'rule' | 'nodes'>): { failed: number; allowed: number; begun: number } {
  const begun = rollout.nodes.filter((node) => BEGUN.includes(node.state)).length;
  const failed = rollout.nodes.filter((node) => node.state === 'failed').length;
  return { failed, allowed: Math.floor(rollout.rule.failShare * begun), begun };
}

/**
 * One look at a rollout: moves each node by what is seen of it, halts when more have failed than may, begins the next step
 * when every node of those before has settled. `minute` is the minute of the site's day. Pure: the same sights give the same orders.
 */
export function stepRollout(
  rollout: Rollout,
  target: string,
  sights: ReadonlyMap<string, RolloutSight>,
  now: number,
  minute: number,
): { rollout: Rollout; orders: RolloutOrders } {
  const { rule } = rollout;
  let nodes = rollout.nodes.map((node) => moved(node, rule, target, sights.get(node.node), now));
  let { state, why } = rollout;
  const none: RolloutOrders = { tell: [], goBack: [] };

  if (state === 'running' || state === 'paused') {
    const { failed, allowed } = haltingFigure({ rule, nodes });
    if (failed > allowed) {
      why = `${failed} failed, ${allowed} may: ${nodes.find((node) => node.state === 'failed')?.why ?? ''}`.slice(0, 300);
      if (!rule.rollBack) return { rollout: { ...rollout, nodes, state: 'halted', why }, orders: none };
      return rollBack({ ...rollout, nodes, why }, now);
    }
  }
  if (state === 'going-back') {
    if (!nodes.some((node) => node.state === 'going-back')) state = 'rolled-back';
    return { rollout: { ...rollout, nodes, state, why }, orders: none };
  }
  if (state !== 'running') return { rollout: { ...rollout, nodes, why }, orders: none };

  nodes = inTheirSteps(nodes, rule);
  const settled = (node: RolloutNode): boolean => ['healthy', 'failed', 'left-out'].includes(node.state);
  if (nodes.every(settled)) return { rollout: { ...rollout, nodes, state: 'done', why: '' }, orders: none };
  // The step that may begin: the first with a node that has not settled.
  const open = Math.min(...nodes.filter((node) => !settled(node)).map((node) => node.step));
  // A few at each look: two hundred that are told at once would all fetch, and be written down, in the same second.
  const due = inWindow(rule.window, minute)
    ? nodes.filter((node) => node.step <= open && node.state === 'waiting').slice(0, TOLD_AT_ONCE)
    : [];
  const tell: string[] = [];
  for (const node of due) {
    const sight = sights.get(node.node);
    if (sight?.supplyProblem) continue; // said where it stands; it is left out below
    tell.push(node.node);
  }
  nodes = nodes.map((node) => {
    if (!due.includes(node)) return node;
    const problem = sights.get(node.node)?.supplyProblem ?? null;
    return problem ? { ...node, state: 'left-out', since: now, why: problem } : { ...node, state: 'told', since: now, why: '' };
  });
  return { rollout: { ...rollout, nodes, state, why: '' }, orders: { tell, goBack: [] } };
}

/**
 * Nodes that wait, in the steps that their places give them without those left out: a canary that is left out has tried nothing, so the
 * next node is canary in its stead.
 */
function inTheirSteps(nodes: readonly RolloutNode[], rule: RolloutRule): RolloutNode[] {
  const sizes = stepSizes(nodes.filter((node) => node.state !== 'left-out').length, rule);
  let place = 0;
  return nodes.map((node) => {
    if (node.state === 'left-out') return node;
    const step = sizes.findIndex((size) => place < size);
    place++;
    return node.state === 'waiting' && step !== -1 ? { ...node, step } : node;
  });
}

/** Takes back what a rollout has changed: every node that has begun and not fallen back by itself is told to run what it ran before. */
export function rollBack(rollout: Rollout, now: number): { rollout: Rollout; orders: RolloutOrders } {
  const goBack: string[] = [];
  const nodes = rollout.nodes.map((node): RolloutNode => {
    if (node.state === 'waiting') return { ...node, state: 'left-out', since: now, why: 'rolled back before it was told' };
    // One that failed on the new image goes back as well, and stays marked as failed.
    if (node.state === 'failed' && node.reached) goBack.push(node.node);
    if (!['told', 'fetching', 'starting', 'watched', 'healthy'].includes(node.state)) return node;
    goBack.push(node.node);
    return { ...node, state: 'going-back', since: now, why: '' };
  });
  return { rollout: { ...rollout, nodes, state: goBack.length > 0 ? 'going-back' : 'rolled-back' }, orders: { tell: [], goBack } };
}

function moved(node: RolloutNode, rule: RolloutRule, target: string, sight: RolloutSight | undefined, now: number): RolloutNode {
  if (!sight) return node;
  const to = (state: RolloutNodeState, why = ''): RolloutNode => ({ ...node, state, since: now, why });
  const report = sight.report && sight.report.sha256 === target && (sight.reportAt ?? 0) >= node.since ? sight.report : null;
  const lasted = now - node.since;
  const overdue = lasted > rule.patienceSeconds * 1000;
  const { helloAt } = sight;
  const underWay = node.state === 'told' || node.state === 'fetching' || node.state === 'starting';

  if (node.state === 'going-back') {
    if (sight.runs !== null && sight.runs !== target) return to('back');
    return overdue && sight.connected && !sight.sleeps ? to('failed', 'it did not go back: write it at the bench') : node;
  }
  if (underWay && report?.state === 'refused') return to('failed', `it refused the image: ${report.why ?? 'no reason given'}`);
  if (underWay && report?.state === 'fell-back')
    return to('failed', `it fell back by itself: ${report.why ?? 'the image did not report in'}`);
  if (underWay && sight.runs === target) return { ...to('watched'), reached: true };
  switch (node.state) {
    case 'told':
      if (report?.state === 'safe' || report?.state === 'fetching') return { ...to('fetching'), bytes: report.bytes ?? 0 };
      if (report) return to('starting');
      // One that sleeps takes it at its next wake.
      return overdue && !sight.sleeps && sight.connected ? to('failed', 'it did not begin to fetch') : node;
    case 'fetching':
      // Patience counts from the last progress, not from the first byte.
      if (report?.state === 'safe' || report?.state === 'fetching') return { ...node, since: now, bytes: report.bytes ?? 0 };
      if (report?.state === 'starting' || report?.state === 'proved') return to('starting');
      return overdue ? to('failed', `it stopped fetching at ${node.bytes} bytes`) : node;
    case 'starting':
      if (helloAt !== null && helloAt >= node.since && sight.runs !== null && sight.runs !== target && now - helloAt >= WORD_MS)
        return to('failed', 'it came back with its old image');
      return overdue ? to('failed', 'it did not report in') : node;
    case 'watched': {
      if (sight.runs !== target) return to('failed', 'it went back to another image');
      if (sight.resets > 0) return to('failed', `it started ${sight.resets} ${sight.resets === 1 ? 'time' : 'times'} more by itself`);
      if (sight.supplyProblem) return to('failed', sight.supplyProblem);
      if (lasted < rule.settleSeconds * 1000) return node;
      if (!sight.connected && !sight.sleeps) return overdue ? to('failed', 'its link is lost') : node;
      // A slow reporter is not judged before two of its reports are due.
      if (sight.rateShare === null) return node;
      if (sight.rateShare >= HEALTHY_RATE) return to('healthy');
      return overdue ? to('failed', `it sends ${Math.round(sight.rateShare * 100)} % of its usual readings`) : node;
    }
    default:
      return node;
  }
}
