/** A table and a frame of 640 by 480: as much of a photo as its header is. */
export const SMALL_JPEG = Uint8Array.from([
  ...[0xff, 0xd8, 0xff, 0xdb, 0, 67, ...Array<number>(65).fill(1)],
  ...[0xff, 0xc0, 0, 17, 8, 1, 0xe0, 2, 0x80, 3, ...Array<number>(9).fill(0), 0xff, 0xd9],
]);
