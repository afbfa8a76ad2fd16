/** A sheet of labels: paper and grid in millimetres. Common sizes; the maker chooses what lies in the printer. */
export interface LabelSheet {
  readonly name: string;
  readonly widthMm: number;
  readonly heightMm: number;
  readonly columns: number;
  readonly rows: number;
  readonly marginXMm: number;
  readonly marginYMm: number;
  readonly gapXMm: number;
  readonly gapYMm: number;
}

export const LABEL_SHEETS: readonly LabelSheet[] = [
  { name: 'A4, 3 by 8', widthMm: 210, heightMm: 297, columns: 3, rows: 8, marginXMm: 7, marginYMm: 13, gapXMm: 2.5, gapYMm: 0 },
  { name: 'A4, 2 by 5', widthMm: 210, heightMm: 297, columns: 2, rows: 5, marginXMm: 4.65, marginYMm: 6, gapXMm: 2.5, gapYMm: 0 },
  { name: 'A5, 2 by 6', widthMm: 148, heightMm: 210, columns: 2, rows: 6, marginXMm: 6, marginYMm: 8, gapXMm: 3, gapYMm: 2 },
  { name: 'Roll, 62 by 29 mm', widthMm: 62, heightMm: 29, columns: 1, rows: 1, marginXMm: 1.5, marginYMm: 1.5, gapXMm: 0, gapYMm: 0 },
];

/** One label's place on its page, mm. */
export interface LabelPlace {
  readonly page: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Places of `count` labels over as many pages as they need, the first `skip` places of the first page left free (used up before). */
export function labelPlaces(sheet: LabelSheet, count: number, skip: number): LabelPlace[] {
  const width = (sheet.widthMm - 2 * sheet.marginXMm - (sheet.columns - 1) * sheet.gapXMm) / sheet.columns;
  const height = (sheet.heightMm - 2 * sheet.marginYMm - (sheet.rows - 1) * sheet.gapYMm) / sheet.rows;
  const perPage = sheet.columns * sheet.rows;
  return Array.from({ length: count }, (_, i) => {
    const place = i + Math.min(Math.max(0, skip), perPage - 1);
    const onPage = place % perPage;
    return {
      page: Math.floor(place / perPage),
      x: sheet.marginXMm + (onPage % sheet.columns) * (width + sheet.gapXMm),
      y: sheet.marginYMm + Math.floor(onPage / sheet.columns) * (height + sheet.gapYMm),
      width,
      height,
    };
  });
}
