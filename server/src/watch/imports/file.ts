import { createWriteStream } from 'node:fs';
import { open } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { ProblemError } from '../../problem/problem';

/** How much of a file is looked at to notice how it is written. */
const HEAD_BYTES = 64 * 1024;
const LATER_BYTES = 8 * 1024;
const MOST_BYTES = 4e9;

/** Writes what comes into a file that only this process's user may read, and gives its bytes. Throws 413 above 4 GB. */
export async function takeFile(body: Readable, path: string): Promise<number> {
  let bytes = 0;
  await pipeline(
    body,
    async function* (source: AsyncIterable<Buffer>) {
      for await (const chunk of source) {
        bytes += chunk.length;
        if (bytes > MOST_BYTES) throw new ProblemError(413, 'Too large', 'A file of at most 4 GB is taken in: split it.');
        yield chunk;
      }
    },
    createWriteStream(path, { mode: 0o600 }),
  );
  return bytes;
}

/** The first lines of a file, and some from further on: what speaks for day or month first may come late in it. */
export async function headOf(path: string): Promise<string> {
  const file = await open(path);
  try {
    const { size } = await file.stat();
    const piece = async (at: number, length: number): Promise<string> => {
      const { buffer, bytesRead } = await file.read(Buffer.alloc(length), 0, length, at);
      return buffer.subarray(0, bytesRead).toString('utf8');
    };
    const head = await piece(0, HEAD_BYTES);
    if (size <= HEAD_BYTES) return head;
    const texts = [head.slice(0, head.lastIndexOf('\n'))];
    for (const share of [0.33, 0.66, 1]) {
      const later = await piece(Math.max(HEAD_BYTES, Math.floor(size * share) - LATER_BYTES), LATER_BYTES);
      // Lines that are cut at an end of the piece are left out.
      texts.push(later.slice(later.indexOf('\n') + 1, later.lastIndexOf('\n')));
    }
    return texts.filter((text) => text !== '').join('\n');
  } finally {
    await file.close();
  }
}
