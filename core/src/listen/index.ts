export { LineReader, readableShare, type LineEnd, type SerialLine } from './lines';
export { meaningOf, type LineMeaning } from './meaning';

/** Rates that a port is listened to at, baud; 74 880 is what the first family starts at. */
export const LISTEN_RATES = [9600, 19_200, 38_400, 57_600, 74_880, 115_200, 230_400, 460_800, 921_600] as const;
