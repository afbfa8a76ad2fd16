import { profileSchema } from '@dewpost/core/circuit';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const read = (kind: string): unknown[] => {
  const folder = join(__dirname, '../../../catalogue', kind);
  return readdirSync(folder).map((file) => profileSchema.parse(JSON.parse(readFileSync(join(folder, file), 'utf8'))));
};

/** The catalogue as it ships, as the server hands it out. */
export const shippedCatalogue = {
  boards: read('boards'),
  parts: read('parts'),
  supplies: read('supplies'),
  antennas: read('antennas'),
  gateways: read('gateways'),
  own: [],
  versions: {},
};
