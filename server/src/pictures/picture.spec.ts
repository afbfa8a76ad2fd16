import fc from 'fast-check';
import { pictureHeader } from './picture';

const bytes = (...parts: (string | number[])[]): Uint8Array =>
  Uint8Array.from(parts.flatMap((part) => (typeof part === 'string' ? [...part].map((letter) => letter.charCodeAt(0)) : part)));
const PNG = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];
/** A quantization table, which every JPEG has (B.2.4.1). */
const TABLE = [0xff, 0xdb, 0, 67, 0, ...Array<number>(64).fill(1)];
/** A frame header of 640 by 480, as ITU-T T.81 (JPEG), B.2.2 has it, after the segments given. */
const jpeg = (...segments: number[][]): Uint8Array =>
  bytes([0xff, 0xd8], ...segments, TABLE, [0xff, 0xc0, 0, 17, 8, 0x01, 0xe0, 0x02, 0x80, 3, ...Array<number>(9).fill(0)], [0xff, 0xd9]);
/** Exif 2.32: one entry, the orientation, in the byte order of the big-endian kind. */
const exif = (orientation: number): number[] => [
  ...[0xff, 0xe1, 0, 34, 0x45, 0x78, 0x69, 0x66, 0, 0],
  ...[0x4d, 0x4d, 0, 0x2a, 0, 0, 0, 8, 0, 1],
  ...[0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, orientation, 0, 0],
  ...[0, 0, 0, 0],
];

describe('a picture’s header', () => {
  it('PNG by its first chunk (ISO/IEC 15948, 11.2.2), JPEG by its frame header', () => {
    const ihdr = [0, 0, 0, 13, ...[...'IHDR'].map((letter) => letter.charCodeAt(0)), 0, 0, 3, 0x20, 0, 0, 2, 0x58, 8, 6, 0, 0, 0];
    expect(pictureHeader(bytes(PNG, ihdr, [0, 0, 0, 0]))).toEqual({ type: 'image/png', width: 800, height: 600 });
    expect(pictureHeader(jpeg())).toEqual({ type: 'image/jpeg', width: 640, height: 480 });
  });

  it('a photo that lies on its side is as wide as it is shown', () => {
    expect(pictureHeader(jpeg(exif(1)))).toMatchObject({ width: 640, height: 480 });
    expect(pictureHeader(jpeg(exif(6)))).toMatchObject({ width: 480, height: 640 });
  });

  it('is none of anything else, and of nothing that only begins as one', () => {
    const other = ['GIF89a\0\0\0\0', 'BM', '<svg width="10" height="10"/>', 'RIFF\0\0\0\0WEBPVP8 ', ''];
    for (const text of other) expect([text, pictureHeader(bytes(text, Array<number>(40).fill(0)))]).toEqual([text, null]);
    expect(pictureHeader(bytes(PNG))).toBeNull();
    fc.assert(
      fc.property(fc.constantFrom(PNG, [0xff, 0xd8], [0xff, 0xd8, 0xff, 0xe1]), fc.uint8Array({ maxLength: 300 }), (begin, rest) => {
        const header = pictureHeader(bytes(begin, [...rest]));
        expect(header === null || (header.width >= 0 && header.height >= 0)).toBe(true);
      }),
    );
  });
});
