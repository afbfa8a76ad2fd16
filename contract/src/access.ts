import * as z from 'zod';
import { endpoint } from './endpoint';

export const roleSchema = z.enum(['maker', 'keeper']);
export type Role = z.infer<typeof roleSchema>;

export const meSchema = z.object({ name: z.string(), role: roleSchema });
export type Me = z.infer<typeof meSchema>;

export const siteSchema = z.object({
  name: z.string(),
  timezone: z.string(),
  /** Where people reach it from outside, for links and labels; missing: nobody has said. */
  address: z.string().optional(),
});
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

const accountName = z.string().regex(/^[\p{L}\p{N} ._-]{1,80}$/u, '1 to 80 letters, digits, spaces and . _ -');
const newPassword = z.string().min(10, 'a password has at least 10 characters').max(200);

export const accountSchema = meSchema.extend({ createdAt: z.number(), demo: z.boolean() });
export type Account = z.infer<typeof accountSchema>;

export const access = {
  accounts: endpoint({
    method: 'get',
    path: '/api/v1/accounts',
    door: 'maker',
    summary: 'Everybody who can sign in',
    reply: z.array(accountSchema),
  }),
  addAccount: endpoint({
    method: 'post',
    path: '/api/v1/accounts',
    door: 'maker',
    summary: 'Let somebody sign in',
    body: z.object({ name: accountName, role: roleSchema, password: newPassword }),
    reply: z.array(accountSchema),
  }),
  removeAccount: endpoint({
    method: 'delete',
    path: '/api/v1/accounts/:name',
    door: 'maker',
    summary: 'Take an account away; it is signed out everywhere. The last maker stays',
    params: z.object({ name: z.string().max(80) }),
    reply: z.array(accountSchema),
  }),
  setPassword: endpoint({
    method: 'put',
    path: '/api/v1/accounts/:name/password',
    door: 'account',
    summary: 'Set a password: one’s own with the present one, anybody’s as a maker. The account is signed out everywhere else',
    params: z.object({ name: z.string().max(80) }),
    body: z.object({ present: z.string().max(200).optional(), password: newPassword }),
  }),
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
