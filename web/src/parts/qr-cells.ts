import encodeQR from 'qr';

/** A QR code as rows of dark cells, and as one SVG path of squares of side 1. Error correction of the middle level: a label gets scratched. */
export function qrCells(text: string): { size: number; cells: boolean[][]; path: string } {
  const cells = encodeQR(text, 'raw', { ecc: 'medium', border: 1 });
  const path = cells.flatMap((row, y) => row.flatMap((dark, x) => (dark ? [`M${x} ${y}h1v1h-1z`] : []))).join('');
  return { size: cells.length, cells, path };
}
