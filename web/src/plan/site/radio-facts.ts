import type { BuildSheet, Node } from '@dewpost/contract';
import type { AntennaProfile, Catalogue } from '@dewpost/core/circuit';
import type { RadioFacts, RemedyFacts } from './plan-jobs';

/** What a node of an unknown board sends with, dBm. Common practice. */
const USUAL_DBM = 17;

/** How strongly each node sends, by its sheet's board, and every antenna of the catalogue. */
export function radioFacts(catalogue: Catalogue, sheets: readonly BuildSheet[], nodes: readonly Node[]): RadioFacts {
  const boards = new Map(sheets.map((sheet) => [sheet.name, sheet.body.draft?.board]));
  return {
    antennas: Object.fromEntries([...catalogue.antennas].map(([id, { gainDbi, beamDegrees }]) => [id, { gainDbi, beamDegrees }])),
    powers: Object.fromEntries(
      nodes.map((node) => [node.id, catalogue.boards.get(boards.get(node.sheet) ?? '')?.radio.transmitDbm ?? USUAL_DBM]),
    ),
    usualPowerDbm: USUAL_DBM,
  };
}

/** What could be bought to mend a link: antennas that fit a connector, a repeater, a gateway set. */
export function remedyMeans(catalogue: Catalogue, sheets: readonly BuildSheet[], nodes: readonly Node[]): RemedyFacts {
  const drafts = new Map(sheets.map((sheet) => [sheet.name, sheet.body.draft]));
  const draftOf = (node: Node) => drafts.get(node.sheet) ?? null;
  const price = (uplink: 'cellular' | 'wifi', otherwise: number): number =>
    [...catalogue.gateways.values()].filter((gateway) => gateway.uplink === uplink).sort((a, b) => a.price - b.price)[0]?.price ??
    otherwise;
  return {
    antennas: [...catalogue.antennas.values()].filter((antenna: AntennaProfile) => !antenna.onBoard),
    repeaterPrice: price('wifi', 25),
    gatewayPrice: price('cellular', 90),
    stationAntenna: 'antenna-whip',
    connectors: nodes.filter((node) => catalogue.boards.get(draftOf(node)?.board ?? '')?.radio.antennaConnector).map((node) => node.id),
    reach: Object.fromEntries(nodes.map((node) => [node.id, draftOf(node)?.cableMetres ?? 0])),
  };
}
