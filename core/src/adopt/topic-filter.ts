/** Longest topic or filter that is taken, bytes of UTF-8 (MQTT 3.1.1 §4.7.3 allows 65 535). */
export const LONGEST_TOPIC = 256;

/** What is wrong with a topic to publish to, in words, or `null` (MQTT 3.1.1 §4.7). */
export function topicFault(topic: string): string | null {
  if (topic === '') return 'a topic is needed';
  if (new TextEncoder().encode(topic).length > LONGEST_TOPIC) return `longer than ${LONGEST_TOPIC} bytes`;
  if (topic.includes('\u0000')) return 'holds a character that no topic may hold';
  return /[+#]/.test(topic) ? 'a topic holds no + or #: name one, not many' : null;
}

/** What is wrong with a topic filter, in words, or `null`: `+` and `#` stand alone in their level, `#` last (MQTT 3.1.1 §4.7.1). */
export function filterFault(filter: string): string | null {
  const fault = topicFault(filter.replace(/[+#]/g, 'x') || filter);
  if (fault) return fault;
  const levels = filter.split('/');
  for (const [i, level] of levels.entries()) {
    if (level.length > 1 && /[+#]/.test(level)) return `${level}: + and # stand alone between two slashes`;
    if (level === '#' && i < levels.length - 1) return '# may only come last';
  }
  return null;
}

/** Does this topic lie under this filter? Wildcards in the first level do not match what begins with `$` (MQTT 3.1.1 §4.7.2). */
export function filterMatches(filter: string, topic: string): boolean {
  if (topic.startsWith('$') && /^[+#]/.test(filter)) return false;
  const wanted = filter.split('/');
  const levels = topic.split('/');
  for (const [i, level] of wanted.entries()) {
    if (level === '#') return true;
    if (i >= levels.length || (level !== '+' && level !== levels[i])) return false;
  }
  return wanted.length === levels.length;
}

/** Is there a topic that lies under both? */
export function filtersOverlap(one: string, other: string): boolean {
  const [a, b] = [one.split('/'), other.split('/')];
  for (let i = 0; ; i++) {
    const [x, y] = [a[i], b[i]];
    if (x === undefined && y === undefined) return true;
    // `a/#` is also the topic `a` itself.
    if (x === '#' || y === '#') return true;
    if (x === undefined || y === undefined) return false;
    if (x !== y && x !== '+' && y !== '+') return false;
  }
}

/** Topics that belong to the house: none of its own, and nothing of a broker's. */
const RESERVED = ['dp/#', '$SYS/#'] as const;

/** What keeps a filter from being named as an account's own, in words, or `null`. `others`: whose filters lie where. */
export function ownFilterFault(filter: string, others: readonly { readonly account: string; readonly filter: string }[]): string | null {
  const fault = filterFault(filter);
  if (fault) return fault;
  if (filter.startsWith('$')) return 'what begins with $ is the broker’s own';
  if (RESERVED.some((reserved) => filtersOverlap(filter, reserved)))
    return 'dp/ is the house’s own, and so is a filter that reaches into it: begin with a word of your own';
  const other = others.find((one) => filtersOverlap(filter, one.filter));
  return other ? `it overlaps ${other.filter} of ${other.account}: every topic belongs to one account` : null;
}
