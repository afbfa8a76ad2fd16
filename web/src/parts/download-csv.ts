import { unparse } from 'papaparse';
import { download } from './download-file';

/** Hands rows to the browser as a CSV file (RFC 4180: quoted cells, CRLF). A cell that a spreadsheet would take for a formula is made text. */
export function downloadCsv(name: string, rows: readonly (readonly string[])[]): void {
  const text = unparse(rows as string[][], {
    quotes: true,
    newline: '\r\n',
    escapeFormulae: /^(?=[=+\-@\t\r])(?![+-]?[\d.]+(?:e[+-]?\d+)?$|-$)/i,
  });
  download(name, 'text/csv', `${text}\r\n`);
}
