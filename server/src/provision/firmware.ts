import type { Firmware } from '@dewpost/contract';
import { compareVersions, type Manifest } from '@dewpost/core/firmware';
import { layoutFaults } from '@dewpost/core/rom-loader';
import { createHash, randomUUID } from 'node:crypto';
import { mkdir, open, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Database } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';
import { signerOf } from './signing';

export interface FirmwareRow {
  id: string;
  name: string;
  version: string;
  board: string;
  bytes: number;
  sha256: string;
  file: string;
  minimum_revision: number;
  notes: string;
  lamp: Manifest['lamp'] | null;
  signature: string | null;
  signed_by: string | null;
  made_by: string;
  made_at: Date;
  /** Its parts, where it is written whole into a board that holds nothing of ours. */
  parts: NonNullable<Manifest['parts']> | null;
  configuration: NonNullable<Manifest['configuration']> | null;
}

/** Where images lie, each named by its digest: the same on whatever machine the data directory is put. */
export const imagesFolder = (dataDirectory: string): string => join(dataDirectory, 'firmware');

/** What stands beside an image, as it was signed. */
export const manifestOf = (row: FirmwareRow): Manifest => ({
  format: 1,
  name: row.name,
  version: row.version,
  board: row.board,
  bytes: row.bytes,
  sha256: row.sha256,
  minimumRevision: row.minimum_revision,
  notes: row.notes,
  ...(row.lamp && { lamp: row.lamp }),
  ...(row.parts && { parts: row.parts }),
  ...(row.configuration && { configuration: row.configuration }),
  signature: row.signature,
});

export const idOf = (name: string, version: string, board: string): string => `${name}-${version}-${board}`.replace(/\+/g, '-');

/** Images in the library, newest version first. */
export async function firmwareRows(database: Database): Promise<FirmwareRow[]> {
  const rows = (await database('firmware').select('*')) as FirmwareRow[];
  return rows.sort((a, b) => compareVersions(b.version, a.version) || a.board.localeCompare(b.board));
}

/** The library as pages see it, with the nodes that said they run each image. `running` gives their digests by node. */
export async function firmwareViews(database: Database, running: ReadonlyMap<string, string>): Promise<Firmware[]> {
  return (await firmwareRows(database)).map((row) => ({
    id: row.id,
    name: row.name,
    version: row.version,
    board: row.board,
    bytes: row.bytes,
    sha256: row.sha256,
    minimumRevision: row.minimum_revision,
    notes: row.notes,
    lamp: row.lamp ?? {},
    signedBy: row.signed_by,
    madeBy: row.made_by,
    madeAt: row.made_at.getTime(),
    nodes: [...running].filter(([, sha256]) => sha256 === row.sha256).map(([node]) => node),
    parts: row.parts,
    configuration: row.configuration,
  }));
}

/** The image for a board: the one named, or the newest that is no pre-release. Throws 422 where there is none, or it is for another board. */
export async function imageFor(database: Database, board: string | null, wanted: string | null): Promise<FirmwareRow> {
  const rows = await firmwareRows(database);
  if (wanted !== null) {
    const row = rows.find((one) => one.id === wanted);
    if (!row) throw notFound(`firmware ${wanted.slice(0, 80)}`);
    if (board !== null && row.board !== board)
      throw new ProblemError(
        422,
        'Wrong board',
        `${row.name} ${row.version} is made for ${row.board}, and this node has a ${board}: choose an image for it.`,
      );
    return row;
  }
  // What is made of parts goes into boards that hold nothing of ours, not into a slot.
  const fitting = rows.filter((row) => row.parts === null && (board === null || row.board === board));
  const row = fitting.find((one) => !one.version.includes('-')) ?? fitting[0];
  if (!row)
    throw new ProblemError(422, 'No image', `The library has no image for ${board ?? 'any board'}: put one in under Provision, Firmware.`);
  return row;
}

/** The newest image of parts for a board fresh from the shop, that is no pre-release where there is another; `null`: there is none. */
export async function firstImageFor(database: Database, board: string): Promise<FirmwareRow | null> {
  const rows = (await firmwareRows(database)).filter((row) => row.parts !== null && row.board === board);
  return rows.find((one) => !one.version.includes('-')) ?? rows[0] ?? null;
}

/**
 * Takes an image as it comes, to disk and never whole into memory, and keeps it when size, digest and signature are as its
 * manifest says. Throws 422 where they are not, 409 for a version that is there with other content; nothing is left behind then.
 */
export async function addFirmware(
  database: Database,
  dataDirectory: string,
  manifest: Manifest,
  /** Bytes of flash of the boards that are known. */
  boards: ReadonlyMap<string, number>,
  image: Readable,
  by: string,
): Promise<FirmwareRow> {
  const refuse = (message: string): never => {
    throw new ProblemError(422, 'Image refused', message);
  };
  if (!boards.has(manifest.board))
    refuse(`There is no board profile ${manifest.board}: import it under Plan, Catalogue, or mend the manifest.`);
  if (manifest.parts) {
    const flash = boards.get(manifest.board) ?? 0;
    const faults = layoutFaults(manifest.parts, manifest.configuration ?? null, manifest.bytes, flash);
    if (faults.length > 0) refuse(`Its parts cannot be written. ${faults.join(' ')}`);
  } else if (manifest.configuration) refuse('It names a region for the configuration, but no parts: it is written whole, or not at all.');
  const keys = (await database('trusted_key').select('public_key', 'name')) as { public_key: string; name: string }[];
  const signedBy = signerOf(manifest, keys);
  if (manifest.signature !== null && signedBy === null)
    refuse('The signature is of none of the keys this site trusts: add its key first, or have the image signed again.');
  const { name, version, board, bytes, sha256 } = manifest;
  const rows = await firmwareRows(database);
  const same = rows.find((row) => row.name === name && row.version === version && row.board === board);
  if (same && same.sha256 !== sha256)
    throw new ProblemError(
      409,
      'Version taken',
      `${name} ${version} for ${board} is here with other content: give the changed image a new version.`,
    );
  const alike = rows.find((row) => row.id === idOf(name, version, board));
  if (alike && !same)
    throw new ProblemError(
      409,
      'Version taken',
      `${alike.name} ${alike.version} is here, and ${version} differs from it by + and - only: give the image a version that can be told from it.`,
    );

  const folder = imagesFolder(dataDirectory);
  await mkdir(folder, { recursive: true });
  const temporary = join(folder, `${randomUUID()}.part`);
  const hash = createHash('sha256');
  let size = 0;
  // Made before anything can fail, so that nothing makes it after it was taken away.
  const whole = await open(temporary, 'wx', 0o600);
  try {
    await pipeline(
      image,
      async function* (chunks: AsyncIterable<Buffer>) {
        for await (const chunk of chunks) {
          size += chunk.length;
          if (size > bytes) refuse(`The image is longer than the ${bytes} bytes of its manifest.`);
          hash.update(chunk);
          yield chunk;
        }
      },
      whole.createWriteStream(),
    );
    if (size !== bytes) refuse(`The image has ${size} bytes, its manifest says ${bytes}: it was cut short, or is another.`);
    const found = hash.digest('hex');
    if (found !== sha256)
      refuse(
        `The digest of the image is ${found.slice(0, 16)}…, its manifest says ${sha256.slice(0, 16)}…: it was changed or damaged on the way.`,
      );
    const file = `${sha256}.bin`;
    await rename(temporary, join(folder, file));
    const row = {
      id: idOf(name, version, board),
      name,
      version,
      board,
      bytes,
      sha256,
      file,
      minimum_revision: manifest.minimumRevision,
      notes: manifest.notes,
      parts: manifest.parts ? JSON.stringify(manifest.parts) : null,
      configuration: manifest.configuration ? JSON.stringify(manifest.configuration) : null,
      lamp: manifest.lamp ? JSON.stringify(manifest.lamp) : null,
      signature: manifest.signature,
      signed_by: signedBy,
      made_by: by,
    };
    await database('firmware')
      .insert(row)
      .onConflict(['name', 'version', 'board'])
      .merge(['notes', 'lamp', 'signature', 'signed_by', 'minimum_revision', 'parts', 'configuration']);
  } finally {
    await rm(temporary, { force: true });
  }
  return imageFor(database, board, idOf(name, version, board));
}
