import { signedText, type Manifest } from '@dewpost/core/firmware';
import { createHash } from 'node:crypto';
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Database } from '../database/connect';
import { idOf, imagesFolder } from './firmware';
import { publicKeyOf, signWith } from './signing';

/** Where a made-up image for a fresh board lies in its flash: what loads it, what says where it lies, itself; and the configuration. */
const DEMO_LAYOUT = {
  parts: [
    ['loader', 0x1000, 16 * 1024],
    ['partitions', 0x8000, 3072],
    ['application', 0x10000, 0],
  ],
  configuration: { at: 0x3f_0000, bytes: 16 * 1024 },
} as const;

const DEMO: readonly { version: string; board: string; bytes: number; notes: string; lamp?: Manifest['lamp']; first?: boolean }[] = [
  { version: '1.0.0', board: 'wifi-dual-38', bytes: 96 * 1024, notes: 'Made-up image for stand-in boards.' },
  {
    version: '1.0.0',
    board: 'wifi-dual-38',
    bytes: 112 * 1024,
    notes: 'Made-up image in parts, for stand-in boards fresh from the shop.',
    first: true,
  },
  { version: '1.0.0', board: 'wifi-dual-bare', bytes: 96 * 1024, notes: 'Made-up image for stand-in boards.' },
  {
    version: '1.0.0',
    board: 'gateway-board',
    bytes: 128 * 1024,
    notes: 'Made-up image for a stand-in gateway.',
    lamp: { joined: [1500, 100, 100, 1300] },
  },
  { version: '1.1.0-rc.1', board: 'wifi-dual-38', bytes: 160 * 1024, notes: 'Made-up image, signed: to be tried over the air.' },
  { version: '1.1.0', board: 'wifi-dual-bare', bytes: 112 * 1024, notes: 'Made-up image: joins its second network sooner.' },
];

/** What signs the made-up images: a key that everyone can make, so that it proves nothing. It is trusted only where stand-ins are. */
const DEMO_SEED = createHash('sha256').update('Wrenfold Mill, made-up images').digest();
const DEMO_KEY_NAME = 'made-up images';

/** A made-up image: the same bytes on every machine, so that its digest can be proved. */
function demoImage(version: string, board: string, bytes: number): Buffer {
  const image = Buffer.alloc(bytes);
  let state = createHash('sha256').update(`${version} ${board}`).digest().readUInt32BE(0);
  for (let i = 0; i < image.length; i++) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    image[i] = state >>> 24;
  }
  image.write(`dewnode ${version} ${board}`, 0, 'latin1');
  return image;
}

/** A made-up image cut into parts; the last takes what is left. */
function demoParts(image: Buffer): NonNullable<Manifest['parts']> {
  let from = 0;
  return DEMO_LAYOUT.parts.map(([file, at, bytes]) => {
    const part = image.subarray(from, bytes === 0 ? image.length : from + bytes);
    from += part.length;
    return { file, at, bytes: part.length, sha256: createHash('sha256').update(part).digest('hex') };
  });
}

/** Puts the made-up images that stand-in boards take into the library, where they are not there yet. */
export async function ensureDemoFirmware(database: Database, dataDirectory: string): Promise<void> {
  const folder = imagesFolder(dataDirectory);
  await mkdir(folder, { recursive: true });
  await database('trusted_key')
    .insert({ public_key: publicKeyOf(DEMO_SEED), name: DEMO_KEY_NAME, added_by: 'shipped' })
    .onConflict()
    .ignore();
  for (const { version, board, bytes, notes, lamp, first = false } of DEMO) {
    const image = demoImage(version, board, bytes);
    const parts = first ? demoParts(image) : null;
    const sha256 = createHash('sha256').update(image).digest('hex');
    const file = `${sha256}.bin`;
    await writeFile(join(folder, file), image);
    const manifest = {
      format: 1,
      name: first ? 'dewnode-first' : 'dewnode',
      version,
      board,
      bytes,
      sha256,
      minimumRevision: 1,
      notes,
      ...(lamp && { lamp }),
      ...(parts && { parts, configuration: DEMO_LAYOUT.configuration }),
      signature: null,
    } as const;
    await database('firmware')
      .insert({
        id: idOf(manifest.name, version, board),
        name: manifest.name,
        version,
        board,
        bytes,
        sha256,
        file,
        notes,
        lamp: lamp ? JSON.stringify(lamp) : null,
        parts: parts ? JSON.stringify(parts) : null,
        configuration: parts ? JSON.stringify(DEMO_LAYOUT.configuration) : null,
        signature: signWith(DEMO_SEED, signedText(manifest)),
        signed_by: DEMO_KEY_NAME,
        made_by: 'shipped',
      })
      .onConflict(['name', 'version', 'board'])
      .merge(['bytes', 'sha256', 'file', 'notes', 'lamp', 'signature', 'signed_by', 'parts', 'configuration']);
  }
}
