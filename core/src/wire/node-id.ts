import * as z from 'zod';

/** A node's id: what it is called in topics, as MQTT user name and on its label. */
export const nodeIdSchema = z
  .string()
  .regex(/^[a-z0-9](?:[a-z0-9-]{0,30}[a-z0-9])?$/, 'use 1 to 32 of a–z, 0–9 and hyphen, not beginning or ending with a hyphen');

/** A point's name within its node. */
export const pointNameSchema = z.string().regex(/^[a-z0-9](?:[a-z0-9-]{0,46}[a-z0-9])?$/, 'use 1 to 48 of a–z, 0–9 and hyphen');
