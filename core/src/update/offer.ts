import type { Manifest } from '../firmware';

/** Why a node does not take an offer as it stands, before a byte is fetched; `null`: it takes it. */
export function offerProblem(
  manifest: Manifest,
  node: { board: string; slotBytes: number; hasOutputs: boolean; signatureHolds: boolean },
): string | null {
  if (manifest.board !== node.board) return `made for ${manifest.board}, this is a ${node.board}`;
  if (manifest.bytes > node.slotBytes) return `has ${manifest.bytes} bytes, the slot ${node.slotBytes}`;
  if (manifest.signature !== null && !node.signatureHolds) return 'its signature is of no key that this node trusts';
  if (manifest.signature === null && node.hasOutputs) return 'not signed, and this node switches outputs';
  return null;
}
