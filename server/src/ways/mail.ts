import type { NewWay } from '@dewpost/contract';
import type { HandsetMessage } from '@dewpost/core/wire';
import { createTransport } from 'nodemailer';
import { placeOf } from '../net/outgoing';

const PATIENCE_MS = 15_000;
export type MailSettings = Omit<Extract<NewWay, { kind: 'mail' }>, 'kind' | 'name' | 'least' | 'notices' | 'password'>;

/** Sends one message by mail. Resolves when the server has taken it for every receiver; rejects with its words otherwise. */
export async function sendMail(
  settings: MailSettings,
  password: string,
  message: Pick<HandsetMessage, 'id' | 'sentAt'> & { readonly subject: string; readonly text: string },
  site: string,
  allowed: readonly string[],
): Promise<void> {
  const place = await placeOf(settings.host, settings.port, allowed);
  const transport = createTransport({
    host: place.address,
    port: settings.port,
    secure: settings.tls === 'at once',
    // Offered means wanted: a server that takes it back is not spoken to in the clear.
    requireTLS: settings.tls === 'offered',
    ignoreTLS: settings.tls === 'none',
    tls: { servername: settings.host },
    ...(settings.user !== '' && { auth: { user: settings.user, pass: password } }),
    connectionTimeout: PATIENCE_MS,
    greetingTimeout: PATIENCE_MS,
    socketTimeout: PATIENCE_MS,
    disableFileAccess: true,
    disableUrlAccess: true,
  });
  try {
    const sent = await transport.sendMail({
      from: settings.from,
      to: settings.to,
      subject: message.subject,
      text: [message.text, '', `${site}, ${new Date(message.sentAt).toISOString()}`, `Message ${message.id}`].join('\n'),
      messageId: `<${message.id}@dew-post.invalid>`,
    });
    if (sent.rejected.length > 0) throw new Error(`not taken for ${sent.rejected.map(String).join(', ')}`);
  } finally {
    transport.close();
  }
}
