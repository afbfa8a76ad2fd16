import { lookup } from 'node:dns/promises';
import { isIP } from 'node:net';
import { bareHost, isInternal } from './internal';

/** A place outside that may be spoken to: looked up once, so that what was checked is what is connected to. */
export interface OutgoingPlace {
  readonly host: string;
  readonly port: number;
  readonly address: string;
}

/** Not spoken to, however often it is tried. */
export class NotAllowed extends Error {}

/** Every address that a name leads to. Rejects where nobody knows it. */
export const resolveAll = async (name: string): Promise<string[]> => (await lookup(name, { all: true })).map(({ address }) => address);

/**
 * Looks a host up and gives the address to connect to. Throws `NotAllowed` where it lies inside the building and is not named, host and
 * port, among `allowed`; throws what the look-up throws.
 */
export async function placeOf(host: string, port: number, allowed: readonly string[], resolve = resolveAll): Promise<OutgoingPlace> {
  const name = bareHost(host);
  const addresses = isIP(name) === 0 ? await resolve(name) : [name];
  const [first] = addresses;
  if (first === undefined) throw new Error(`${host} leads nowhere`);
  if (allowed.includes(`${name}:${port}`)) return { host, port, address: first };
  // All of them: a name that leads outside and inside would be asked for until it leads inside.
  if (addresses.some(isInternal))
    throw new NotAllowed(
      `${host} lies inside the building: name ${name}:${port} in DEWPOST_OUTGOING_ALLOW where messages are to go there.`,
    );
  return { host, port, address: first };
}
