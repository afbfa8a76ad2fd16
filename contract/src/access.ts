import * as z from 'zod';
import { endpoint } from './endpoint';

export const roleSchema = z.enum(['maker', 'keeper']);
export type Role = z.infer<typeof roleSchema>;

export const meSchema = z.object({ name: z.string(), role: roleSchema });
export type Me = z.infer<typeof meSchema>;

export const siteSchema = z.object({ name: z.string(), timezone: z.string() });
export type Site = z.infer<typeof siteSchema>;

/** What the sign-in page may know before anybody has signed in. */
export const doorSchema = z.object({
  site: siteSchema,
  listening: z.string(),
  /** Accounts that one click opens: only while the demo runs on loopback. */
  demo: z.array(z.object({ name: z.string(), role: roleSchema, password: z.string() })),
  demoNodes: z.number().int(),
  empty: z.boolean(),
});

export const access = {
  door: endpoint({ method: 'get', path: '/api/v1/door', door: 'open', summary: 'What the sign-in page shows', reply: doorSchema }),
  signIn: endpoint({
    method: 'post',
    path: '/api/v1/session',
    door: 'open',
    summary: 'Sign in; answers with a session cookie',
    body: z.object({ name: z.string().min(1).max(80), password: z.string().min(1).max(200) }),
    reply: meSchema,
  }),
  me: endpoint({ method: 'get', path: '/api/v1/session', door: 'account', summary: 'Who is signed in', reply: meSchema }),
  signOut: endpoint({ method: 'delete', path: '/api/v1/session', door: 'account', summary: 'Sign out' }),
};
