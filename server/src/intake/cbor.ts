import { Decoder, Encoder, setSizeLimits } from 'cbor-x';

/** As many as a body of 64 kB could hold: what claims more is refused before room is made for it. */
const MOST = 65_536;
setSizeLimits({ maxArraySize: MOST, maxMapSize: MOST, maxObjectSize: MOST });
const decoder = new Decoder({ useRecords: false, mapsAsObjects: false });

/** The labels that SenML has as integers in CBOR (RFC 8428 §6, table 4). */
const LABELS: ReadonlyMap<unknown, string> = new Map([
  [-1, 'bver'],
  [-2, 'bn'],
  [-3, 'bt'],
  [-4, 'bu'],
  [-5, 'bv'],
  [-6, 'bs'],
  [0, 'n'],
  [1, 'u'],
  [2, 'v'],
  [3, 'vs'],
  [4, 'vb'],
  [5, 's'],
  [6, 't'],
  [7, 'ut'],
  [8, 'vd'],
]);

/** Maps as objects, labels as names, big integers as numbers; two levels deep, which is all that readings have. */
function plain(value: unknown, depth: number): unknown {
  if (typeof value === 'bigint') return Number(value);
  if (depth === 0) return value;
  if (Array.isArray(value)) return value.map((item) => plain(item, depth - 1));
  if (!(value instanceof Map)) return value;
  const entries = [...(value as Map<unknown, unknown>)].map(([label, item]) => [
    LABELS.get(label) ?? String(label),
    plain(item, depth - 1),
  ]);
  // Without a prototype: a label such as "__proto__" is a name like another.
  return Object.assign(Object.create(null) as object, Object.fromEntries(entries));
}

/** A body of readings in CBOR (RFC 8949): a SenML pack with its labels as integers, or a map of names and numbers. Throws in words. */
export function readCbor(bytes: Uint8Array): unknown {
  try {
    return plain(decoder.decode(bytes), 2);
  } catch (error) {
    throw new Error(
      `not CBOR: ${error instanceof RangeError ? 'nested too deep' : error instanceof Error ? error.message : String(error)}`,
      {
        cause: error,
      },
    );
  }
}

const BREAK = 0xff;

/** The records of a SenML pack of any length in CBOR, one by one: its array is opened here, since what it may claim is bounded. Throws in words. */
export function readCborPack(bytes: Uint8Array): unknown[] {
  const [major, info] = [(bytes[0] ?? 0) >> 5, (bytes[0] ?? 0) & 31];
  if (major !== 4) throw new Error('not a SenML pack: that is an array of records');
  const open = info === 31;
  // The length stands in the byte itself, or in the 1, 2, 4 or 8 after it.
  const head = 1 + (info < 24 || open ? 0 : 2 ** (info - 24));
  const body = bytes.subarray(head, open && bytes.at(-1) === BREAK ? bytes.length - 1 : bytes.length);
  const records: unknown[] = [];
  if (body.length === 0) return records;
  try {
    decoder.decodeMultiple(body, (record: unknown) => void records.push(plain(record, 1)));
  } catch (error) {
    throw new Error(`not CBOR: ${error instanceof Error ? error.message : String(error)}`, { cause: error });
  }
  return records;
}

const encoder = new Encoder({ useRecords: false });

/** Readings as a SenML pack in CBOR, its array left open until the last: it is written as it comes. */
export async function* cborPack(
  records: AsyncIterable<{ readonly n: string; readonly t: number; readonly v: number }>,
): AsyncGenerator<Uint8Array> {
  yield Uint8Array.of(0x9f);
  for await (const { n, t, v } of records)
    yield encoder.encode(
      new Map<number, string | number>([
        [0, n],
        [6, t],
        [2, v],
      ]),
    );
  yield Uint8Array.of(BREAK);
}
