const SECONDS_PER_DAY = 86_400;
const PAGE_BYTES = 8192;
const align8 = (bytes: number): number => Math.ceil(bytes / 8) * 8;

/** Rows a day of `nodes` nodes that each report `metrics` points every `intervalSeconds`. */
export const rowsPerDay = (intervalSeconds: number, metrics: number, nodes: number): number =>
  (SECONDS_PER_DAY / intervalSeconds) * metrics * nodes;

/** Bytes of a PostgreSQL heap row with its line pointer: header 23 → 24, data aligned to 8, plus 4. Measured on PostgreSQL 15. */
export const heapRowBytes = (dataBytes: number): number => align8(24 + dataBytes) + 4;

/** Rows in an 8 kB page: ⌊8168 / row⌋. */
export const rowsPerPage = (dataBytes: number): number => Math.floor((PAGE_BYTES - 24) / heapRowBytes(dataBytes));

/** Heap of a year, MB (decimal); indexes add 0.4 to 1 of it. */
export const heapMegabytesPerYear = (intervalSeconds: number, metrics: number, nodes: number, dataBytes: number): number =>
  (Math.ceil((rowsPerDay(intervalSeconds, metrics, nodes) * 365) / rowsPerPage(dataBytes)) * PAGE_BYTES) / 1e6;

/**
 * Entries in a B-tree leaf of 8 kB that is built in order: 8-byte tuple header and 4-byte pointer an entry, 16 bytes of special area,
 * filled until less than the spare share is free; the entry that fills it becomes the next page's first. Measured on PostgreSQL 15.
 */
export function leafEntries(keyBytes: number, fillFactor: number): number {
  const entry = align8(8 + keyBytes) + 4;
  const free = PAGE_BYTES - 24 - 16 - 8;
  const spare = Math.floor(PAGE_BYTES * (1 - fillFactor) + 1e-9);
  return Math.ceil((free - spare) / entry) - 1;
}

/** Cellular traffic, MB (decimal) in `days`: bytes a message, headers included, every `intervalSeconds`. */
export const cellularMegabytes = (bytesPerMessage: number, intervalSeconds: number, days = 30): number =>
  (bytesPerMessage * (SECONDS_PER_DAY / intervalSeconds) * days) / 1e6;
