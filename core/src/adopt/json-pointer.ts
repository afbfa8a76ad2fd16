/** Is this text a JSON Pointer (RFC 6901 §3): empty, or tokens that each begin with `/`, where `~` stands only in `~0` and `~1`? */
export const isJsonPointer = (text: string): boolean => /^(\/([^/~]|~[01])*)*$/.test(text);

/** One token as it stands in a pointer: `~` becomes `~0`, `/` becomes `~1` (RFC 6901 §3). */
export const pointerToken = (name: string): string => name.replace(/~/g, '~0').replace(/\//g, '~1');

/** The names that a JSON Pointer leads along, as they are in the document (RFC 6901 §4). */
export const pointerTokens = (pointer: string): string[] =>
  pointer === ''
    ? []
    : pointer
        .slice(1)
        .split('/')
        .map((token) => token.replace(/~1/g, '/').replace(/~0/g, '~'));

/**
 * The value that a JSON Pointer names in a parsed document (RFC 6901 §4), or `undefined` where it leads nowhere: a name that is not there, an
 * index past the end or with leading zeros, `-`, or anything below a value that has no parts. Never throws, and never reaches what an object
 * inherits.
 */
export function valueAt(document: unknown, pointer: string): unknown {
  let value = document;
  for (const token of pointerTokens(pointer)) {
    if (Array.isArray(value)) {
      if (!/^(0|[1-9]\d*)$/.test(token)) return undefined;
      value = (value as unknown[])[Number(token)];
    } else if (typeof value === 'object' && value !== null && Object.hasOwn(value, token)) {
      value = (value as Record<string, unknown>)[token];
    } else return undefined;
  }
  return value;
}
