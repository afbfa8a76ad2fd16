import { nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';

const address = z.ipv4('four numbers from 0 to 255 with full stops');
/** A subnet: the site's own, or one that a gateway has for its nodes. */
export const subnetSchema = z.object({
  /** `site`, or the gateway's id on the site plan. */
  id: z.string().min(1).max(40),
  network: address,
  prefix: z.number().int().min(8, 'from 8 to 30').max(30, 'from 8 to 30'),
  router: address,
  poolFirst: address,
  poolLast: address,
});
export type Subnet = z.infer<typeof subnetSchema>;

export const addressingSchema = z.object({
  /** Written into the node, kept for it by the router, or whatever the router gives. */
  how: z.enum(['static', 'reserved', 'router']),
  subnets: z.array(subnetSchema).min(1, 'the site needs its subnet').max(20),
});
export type Addressing = z.infer<typeof addressingSchema>;

export const networkSchema = z.object({ name: z.string(), passphraseSet: z.boolean(), open: z.boolean(), hidden: z.boolean() });
const networkName = z
  .string()
  .min(1, 'the network needs a name')
  .refine((name) => new TextEncoder().encode(name).length <= 32, 'a network name has at most 32 bytes')
  .refine((name) => name === name.trim(), 'the name begins or ends with a space: take it off');
const passphrase = z
  .string()
  .regex(/^[\x20-\x7e]{8,63}$/, 'a passphrase has 8 to 63 characters without accents')
  .refine((text) => text === text.trim(), 'the passphrase begins or ends with a space: take it off');
/** A network as it is typed. An open one has no passphrase; a hidden one does not tell its name, so that nodes must ask for it. */
export const typedNetwork = z
  .object({ name: networkName, passphrase: passphrase.nullable(), open: z.boolean().default(false), hidden: z.boolean().default(false) })
  .refine((network) => !network.open || network.passphrase === null, {
    path: ['passphrase'],
    message: 'an open network has no passphrase: empty the field, or say that it is not open',
  });

export const nodeAddressSchema = z.object({
  node: nodeIdSchema,
  address: z.string().nullable(),
  subnet: z.string(),
  hardwareId: z.string().nullable(),
});
/** The version that is being edited; another in force by now is a 409 with it. */
const from = z.number().int().min(0);
export const networksReply = z.object({ version: z.number().int(), networks: z.array(networkSchema) });
export const addressesReply = z.object({
  version: z.number().int(),
  addressing: addressingSchema.nullable(),
  nodes: z.array(nodeAddressSchema),
});

export const addressing = {
  networks: endpoint({
    method: 'get',
    path: '/api/v1/networks',
    door: 'maker',
    summary: 'The networks that nodes are written for, in the order they try them',
    reply: networksReply,
  }),
  setNetworks: endpoint({
    method: 'put',
    path: '/api/v1/networks',
    door: 'maker',
    summary: 'Set the networks, up to five, in order; a passphrase left out stays as it is. Passphrases are sealed and never shown again',
    body: z.object({
      from,
      networks: z
        .array(typedNetwork)
        .max(5, 'a node holds five networks at most')
        .refine((networks) => new Set(networks.map((network) => network.name)).size === networks.length, 'each network once'),
    }),
    reply: networksReply,
  }),
  addresses: endpoint({
    method: 'get',
    path: '/api/v1/addresses',
    door: 'maker',
    summary: 'Subnets and the address of every node',
    reply: addressesReply,
  }),
  setAddresses: endpoint({
    method: 'put',
    path: '/api/v1/addresses',
    door: 'maker',
    summary: 'Set subnets and addresses together; an address that clashes, lies in a pool or outside its subnet is refused with the reason',
    body: z.object({ from, addressing: addressingSchema, addresses: z.record(nodeIdSchema, address) }),
    reply: addressesReply,
  }),
};
