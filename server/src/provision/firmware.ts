import type { Firmware } from '@dewpost/contract';
import { createHash } from 'node:crypto';
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Database } from '../database/connect';

const DEMO_BYTES = 96 * 1024;

/**
 * The image that stand-in boards take: made-up bytes, the same on every machine, so that its digest can be proved. Real
 * boards are written with an image of their own; the library for those comes with the firmware pages.
 */
export async function ensureDemoFirmware(database: Database, dataDirectory: string): Promise<void> {
  const image = Buffer.alloc(DEMO_BYTES);
  let state = 0x2f6e2b1;
  for (let i = 0; i < image.length; i++) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    image[i] = state >>> 24;
  }
  image.write('dewnode 1.0.0', 0, 'latin1');
  const folder = join(dataDirectory, 'firmware');
  await mkdir(folder, { recursive: true });
  const file = join(folder, 'dewnode-1.0.0.bin');
  await writeFile(file, image);
  const sha256 = createHash('sha256').update(image).digest('hex');
  await database('firmware')
    .insert({ id: 'dewnode-1.0.0', version: '1.0.0', board: 'Wi-Fi board, dual core, 38 pins', bytes: image.length, sha256, file })
    .onConflict('id')
    .merge();
}

/** Images in the library, newest first. */
export async function listFirmware(database: Database): Promise<(Firmware & { file: string })[]> {
  return (await database('firmware').orderBy('version', 'desc')) as (Firmware & { file: string })[];
}
