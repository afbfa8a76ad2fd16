import { JOIN_CODES, type JoinCode } from '../joining';

/** What a line is, as far as it is known; `start` is what a chip says by itself when it starts. */
export type LineMeaning =
  | { readonly kind: 'start' }
  | { readonly kind: 'join'; readonly words: string }
  | { readonly kind: 'trouble'; readonly code: JoinCode | 'brown-out' | 'setup-open' | 'backing-off'; readonly words: string }
  | { readonly kind: 'publish'; readonly words: string }
  | { readonly kind: 'own' }
  | { readonly kind: 'unknown' };

/** A chip's own words at its start: cause of the reset, what is loaded where, its clock. Common to the families that speak SLIP (from use). */
const START =
  /^(ets \w{3} |rst:0x|[A-Z0-9-]+-ROM:|Build:|configsip:|clk_drv:|mode:[A-Z]{2,}|load:0x|entry 0x|csum 0x|chksum 0x|tail \d|~ld|SPIWP:|Saved PC:|boot: )/;
/** A line of our own firmware: seconds since its start, a short tag, words. */
const OWN = /^\d+\.\d{1,3}\s+([a-z]{3,6})\s+(.+)$/;
const TOPIC = /(?:^|[\s"'(])([\w$-]+(?:\/[\w.-]+)+)/;
const ADDRESS = /\b(\d{1,3}(?:\.\d{1,3}){3})\b/;
const OTHER_CODES = ['brown-out', 'setup-open', 'backing-off'] as const;
type TroubleCode = JoinCode | (typeof OTHER_CODES)[number];

const TROUBLE_WORDS: Record<TroubleCode, string> = {
  'wrong-passphrase': 'The network refused the passphrase.',
  'name-not-found': 'It heard no network of that name.',
  'weak-signal': 'It hears the network too weakly.',
  'no-address': 'It joined, and the router gave it no address.',
  'address-taken': 'Somebody else has its address.',
  'clock-not-set': 'It could not set its clock: outputs stay off.',
  'broker-refused': 'The broker does not take its name and key.',
  'broker-unreachable': 'It cannot reach the broker.',
  'name-clash': 'Another board goes by its name.',
  'brown-out': 'Its supply gives way when the radio sends.',
  'setup-open': 'It gave up joining and opened its own network to be set up.',
  'backing-off': 'It gave up joining and sleeps until it tries again.',
};
/** What firmware says of the same, whoever wrote it; the first that fits counts. */
const HINTS: readonly (readonly [RegExp, TroubleCode])[] = [
  [/brown.?out/i, 'brown-out'],
  [/(wrong|bad|invalid|refused).{0,20}pass(word|phrase)|auth(entication)?.{0,12}(fail|expire)|4.?way.?handshake/i, 'wrong-passphrase'],
  [/no.?(ap|ssid|network).{0,16}found|(ap|ssid|network).{0,20}not found/i, 'name-not-found'],
  [/not authori[sz]ed|bad user|broker.{0,12}refused/i, 'broker-refused'],
  [/(broker|mqtt).{0,30}(unreach|timed? ?out|cannot be reached|connection refused|fail)/i, 'broker-unreachable'],
];
const isCode = (code: string): code is TroubleCode => [...JOIN_CODES, ...OTHER_CODES].some((known) => known === code);
const trouble = (code: TroubleCode): LineMeaning => ({ kind: 'trouble', code, words: TROUBLE_WORDS[code] });

/** The words for a topic of the node protocol, or of anybody else's. */
function publishWords(topic: string, size: string | undefined): string {
  const own = /^dp\/1\/([a-z0-9-]+)\/(up|hello|done|have|log|gone)$/.exec(topic);
  const bytes = size ? `, ${size} bytes` : '';
  if (!own) return `It publishes to ${topic}${bytes}.`;
  const [, node = '', channel = ''] = own;
  const said: Record<string, string> = {
    up: `${node} sends readings${bytes}.`,
    hello: `${node} greets the server: its first contact since it started.`,
    done: `${node} says what became of a command.`,
    have: `${node} says which configuration it runs.`,
    log: `${node} tells something for its log.`,
    gone: `${node} says farewell.`,
  };
  return said[channel] ?? `It publishes to ${topic}.`;
}

/** What a line means, in a plain sentence where it is known; `code` is a log frame's own. */
export function meaningOf(text: string, code?: string): LineMeaning {
  if (code !== undefined && isCode(code)) return trouble(code);
  const line = text.trim();
  if (START.test(line)) return { kind: 'start' };
  const own = OWN.exec(line);
  const [tag, words] = [own?.[1], own?.[2] ?? line];
  const hint = HINTS.find(([pattern]) => pattern.test(words));
  if (hint) return trouble(hint[1]);
  const topic = TOPIC.exec(words)?.[1];
  if (topic !== undefined && (tag === 'publ' || /publish/i.test(words)))
    return { kind: 'publish', words: publishWords(topic, /(\d+) ?B(?:ytes)?\b/i.exec(words)?.[1]) };
  if (/(mqtt|broker).{0,20}connected|connected to .*:\d{2,5}\b/i.test(words) && !/disconnected|not connected/i.test(words))
    return { kind: 'join', words: 'It has reached the broker, which took its key.' };
  const address = ADDRESS.exec(words)?.[1];
  if (
    code === 'joined' ||
    (tag === 'join' && /^joined\b/.test(words)) ||
    (address !== undefined && /\b(ip|address|joined|connected)\b/i.test(words))
  )
    return { kind: 'join', words: address === undefined ? 'It has joined the network.' : `It has joined, at ${address}.` };
  return own ? { kind: 'own' } : { kind: 'unknown' };
}
