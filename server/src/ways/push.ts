import { MOST_PUSHED_LETTERS } from '@dewpost/core/alarm';
import type { HandsetMessage } from '@dewpost/core/wire';
import webPush from 'web-push';
import type { Database } from '../database/connect';
import { NotAllowed } from '../net/outgoing';
import { post, Refused } from '../net/post';
import type { Vault } from '../vault/vault';

/** What a push service does not deliver within this time is not wanted any more, s: the outbox tries anew. */
const WORTH_SECONDS = 3600;
/** Who answers for the messages, for whoever runs a push service, where nobody has said under which https address the house is reached. */
const NOBODY = 'mailto:house@dew-post.invalid';

/** By which push services know this house. */
export interface PushIdentity {
  readonly publicKey: string;
  readonly privateKey: string;
}
export interface PushSettings {
  readonly endpoint: string;
  readonly p256dh: string;
}

/** The house's key pair (RFC 8292): made at first need and kept, its private half sealed, since every subscription holds for it alone. */
export async function pushIdentity(database: Database, vault: Vault): Promise<PushIdentity> {
  const stored = async (): Promise<PushIdentity | null> => {
    const row = (await database('push_identity').first()) as { public_key: string; private_sealed: string } | undefined;
    return row ? { publicKey: row.public_key, privateKey: vault.open(row.private_sealed) } : null;
  };
  const known = await stored();
  if (known) return known;
  const made = webPush.generateVAPIDKeys();
  await database('push_identity')
    .insert({ public_key: made.publicKey, private_sealed: vault.seal(made.privateKey) })
    .onConflict('one')
    .ignore();
  // Whoever was first has laid down which one it is.
  return (await stored()) ?? made;
}

/**
 * Encrypts a message for one browser (RFC 8291, aes128gcm) and hands it to that browser's push service, signed by the house. Rejects with
 * words where it was not taken; `NotAllowed` where the browser has ended its subscription, since no other try helps.
 */
export async function pushTo(
  { endpoint, p256dh }: PushSettings,
  auth: string,
  identity: PushIdentity,
  { id, title, text, severity, alertId, sentAt, link }: HandsetMessage & { readonly link: string | null },
  allowed: readonly string[],
): Promise<void> {
  const wanted = severity === 'critical' || severity === 'warning' ? 'high' : 'normal';
  const { body, headers } = webPush.generateRequestDetails(
    { endpoint, keys: { p256dh, auth } },
    JSON.stringify({ id, title, text: text.slice(0, MOST_PUSHED_LETTERS), severity, alertId, sentAt }),
    {
      vapidDetails: { subject: link?.startsWith('https:') ? link : NOBODY, ...identity },
      TTL: WORTH_SECONDS,
      urgency: wanted,
      contentEncoding: 'aes128gcm',
    },
  );
  const given = Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), String(value)]));
  try {
    await post(endpoint, { body: body ?? '', headers: given }, allowed);
  } catch (error) {
    if (error instanceof Refused && (error.status === 404 || error.status === 410))
      throw new NotAllowed('the browser has ended its subscription: add it again there');
    throw error;
  }
}
