/**
 * Every number of the chips' boot loaders in one place. All of them are from memory: no board profile that ships has been confirmed by a
 * person on a real board.
 */

/** `rom-slip-1`: the older single-core chips; `rom-slip-2`: the first dual-core ones; `rom-slip-3`: what came after. */
export const ROM_FAMILIES = ['rom-slip-1', 'rom-slip-2', 'rom-slip-3'] as const;
export type RomFamily = (typeof ROM_FAMILIES)[number];

export const ROM = {
  flashBegin: 0x02,
  flashData: 0x03,
  flashEnd: 0x04,
  sync: 0x08,
  readRegister: 0x0a,
  flashParameters: 0x0b,
  attach: 0x0d,
  changeRate: 0x0f,
  packedBegin: 0x10,
  packedData: 0x11,
  packedEnd: 0x12,
  md5: 0x13,
  securityInfo: 0x14,
} as const;

/** The word at this address tells the family. */
export const FAMILY_REGISTER = 0x4000_1000;
export const FAMILY_WORDS: Readonly<Record<RomFamily, readonly number[]>> = {
  'rom-slip-1': [0xfff0_c101],
  'rom-slip-2': [0x00f0_1d83],
  'rom-slip-3': [0x0000_07c6, 0x0000_0009, 0x6921_506f, 0x1b31_506f],
};

/** The rate that every loader begins at, and the one that is asked for where it can change it, baud. */
export const FIRST_RATE = 115_200;
export const FAST_RATE = 921_600;

export const SECTOR_BYTES = 4096;
export const BLOCK_BYTES = 65_536;
export const PAGE_BYTES = 256;
/** Bytes of one data packet. */
export const PACKET_BYTES = 1024;
export const FLASH_MASK = 0xffff;
export const CHECKSUM_SEED = 0xef;

export const SYNC_TRIES = 7;
/** Times, ms. */
export const TIMES = {
  reset: 100,
  bootPin: 50,
  usbReset: 100,
  rateSettles: 50,
  syncAnswer: 120,
  answer: 3000,
  /** Erasing: a megabyte may take this long. */
  erasePerMegabyte: 30_000,
  eraseLeast: 10_000,
  /** A megabyte's digest may take this long. */
  md5PerMegabyte: 8000,
  md5Least: 3000,
} as const;

/** Bytes of the status that ends an answer. */
export const statusBytes = (family: RomFamily): number => (family === 'rom-slip-1' ? 2 : 4);
/** Does it take flash commands only after the flash was attached, change its rate, and take compressed data? */
export const isLater = (family: RomFamily): boolean => family !== 'rom-slip-1';
