import type { IncomingMessage } from 'node:http';

/** The value of a request's cookie; `null` where it has none, or one that no browser of ours was given. */
export function cookieOf(request: IncomingMessage, name: string): string | null {
  const found = (request.headers.cookie ?? '')
    .split(';')
    .map((part) => part.trim())
    .find((part) => part.startsWith(`${name}=`));
  if (found === undefined) return null;
  try {
    return decodeURIComponent(found.slice(name.length + 1));
  } catch (error) {
    if (error instanceof URIError) return null;
    throw error;
  }
}
