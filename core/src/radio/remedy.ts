import type { PlacedNode, SitePlan } from '../site-plan';
import type { AntennaGain } from './antenna';

/** An antenna that could be fitted, from the catalogue. */
export interface AntennaChoice extends AntennaGain {
  readonly id: string;
  readonly name: string;
  readonly price: number;
  readonly cableDb: number;
}

/** One thing that helps, already worked out on the plan. `plan` is the plan with it done. */
export interface Remedy {
  readonly kind: 'move the node' | 'move the station' | 'antenna' | 'repeater' | 'gateway set' | 'channel';
  readonly title: string;
  readonly detail: string;
  readonly marginBeforeDb: number;
  readonly marginAfterDb: number;
  readonly price: number;
  /** Does it reach a sound link? */
  readonly enough: boolean;
  readonly plan: SitePlan;
}

export interface RemedyMeans {
  readonly antennas: readonly AntennaChoice[];
  readonly repeaterPrice: number;
  readonly gatewayPrice: number;
  /** Antenna of a new repeater or gateway. */
  readonly stationAntenna: string;
  /** Can an antenna be fitted to this node's board? */
  takesAntenna(node: string): boolean;
  /** How far this node can be moved while its parts stay where they measure, m: its cable. */
  reachMetres(node: string): number;
}

/** A link is mended when it is sound. */
export const TARGET_DB = 10;
/** A figure of a remedy, to a tenth. */
export const figure = (value: number): string => (Math.round(value * 10) / 10).toFixed(1);
export const signed = (value: number): string => `${value < 0 ? '−' : '+'}${figure(Math.abs(value))}`;

export const stationIds = (plan: SitePlan): string[] => plan.stations.map((station) => station.id);
/** The plan with this node in the place of the one of its name. */
export const replaceNode = (plan: SitePlan, node: PlacedNode): SitePlan => ({
  ...plan,
  nodes: plan.nodes.map((one) => (one.node === node.node ? node : one)),
});
