/** How a message reaches somebody. */
export const READ_BY = ['handset', 'mail', 'push', 'node', 'webhook'] as const;
export type ReadBy = (typeof READ_BY)[number];

/** Letters that a small display, or whoever hears them, can bear. */
export const MOST_SPOKEN_LETTERS = 200;
/** Letters of a text that is pushed: with all else below the 3993 bytes that a push service has to take (RFC 8291, section 4). */
export const MOST_PUSHED_LETTERS = 700;

interface Message {
  readonly title: string;
  readonly text: string;
  /** Where more stands; `null`: nobody has said where the house is reached. */
  readonly link: string | null;
}

/** What a node says aloud, or shows. */
export const spokenText = ({ title, text }: Pick<Message, 'title' | 'text'>): string => `${title}. ${text}`.slice(0, MOST_SPOKEN_LETTERS);

/** A mail's subject and what stands in it before its foot. */
export const mailText = (site: string, { title, text, link }: Message): { subject: string; text: string } => ({
  subject: `${site}: ${title}`,
  text: link === null ? text : `${text}\n\n${link}`,
});

/** One message as it will be read by each way: its head, and what stands beneath; written once. */
export function asRead(by: ReadBy, site: string, message: Message): { head: string; body: string } {
  const { title, text } = message;
  switch (by) {
    case 'handset':
      return { head: title, body: text };
    case 'push':
      return { head: title, body: text.slice(0, MOST_PUSHED_LETTERS) };
    case 'node':
      return { head: '', body: spokenText(message) };
    case 'mail': {
      const mail = mailText(site, message);
      return { head: mail.subject, body: mail.text };
    }
    case 'webhook':
      return { head: '', body: JSON.stringify({ site, title, text, ...(message.link !== null && { link: message.link }) }, null, 2) };
  }
}
