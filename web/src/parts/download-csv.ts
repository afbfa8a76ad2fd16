const cell = (text: string): string => `"${text.replace(/"/g, '""')}"`;

/** Hands rows to the browser as a CSV file (RFC 4180: quoted cells, CRLF). */
export function downloadCsv(name: string, rows: readonly (readonly string[])[]): void {
  const text = rows.map((row) => row.map(cell).join(',')).join('\r\n');
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([`${text}\r\n`], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
