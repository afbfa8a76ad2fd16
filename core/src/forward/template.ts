/** What a template may ask for of a reading. */
export const FORWARD_FIELDS = ['node', 'point', 'label', 'room', 'unit', 'value', 'seconds', 'ms', 'time', 'quality'] as const;
export type ForwardField = (typeof FORWARD_FIELDS)[number];

/** A reading on its way to somebody else. */
export interface ForwardReading {
  /** Id of its node, and name of its point. */
  readonly node: string;
  readonly point: string;
  /** What people call the point, and where its node is. */
  readonly label: string;
  readonly room: string;
  readonly unit: string;
  readonly value: number;
  /** Unix time, ms. */
  readonly at: number;
  readonly quality: 'good' | 'suspect';
}

/** How a body is put together: `before`, then a record a reading with `between` between them, then `after`. */
export interface BodyTemplate {
  readonly contentType: string;
  readonly before: string;
  readonly record: string;
  readonly between: string;
  readonly after: string;
}

/** What to begin from: an array of objects, SenML (RFC 8428), or a line a reading. */
export const BODY_TEMPLATES = {
  json: {
    contentType: 'application/json',
    before: '[',
    record: '{"node":"{node}","point":"{point}","time":{seconds},"value":{value},"unit":"{unit}"}',
    between: ',',
    after: ']',
  },
  senml: {
    contentType: 'application/senml+json',
    before: '[',
    record: '{"n":"{node}:{point}","t":{seconds},"v":{value}}',
    between: ',',
    after: ']',
  },
  lines: { contentType: 'text/plain', before: '', record: '{node} {point} {value} {seconds}', between: '\n', after: '\n' },
} as const satisfies Record<string, BodyTemplate>;

const HOLE = /\{([a-z]+)\}/g;

/** Names in braces that stand for nothing; empty: all are known. */
export const unknownFields = (template: string): string[] =>
  [...template.matchAll(HOLE)].flatMap(([, name = '']) => ((FORWARD_FIELDS as readonly string[]).includes(name) ? [] : [name]));

/** Where the text goes: what would end a string, a line or a level there is written so that it does not. */
export type Target = 'json' | 'text' | 'topic';

/** Fills in what a template asks for. What is filled in is never read again. */
export function fillTemplate(template: string, reading: ForwardReading, target: Target): string {
  return template.replace(HOLE, (whole, name: string) =>
    (FORWARD_FIELDS as readonly string[]).includes(name) ? safe(fieldOf(reading, name as ForwardField), target) : whole,
  );
}

function fieldOf(reading: ForwardReading, field: ForwardField): string {
  switch (field) {
    case 'value':
      // Nine digits: more than any sensor has, and no 0.30000000000000004.
      return String(Number(reading.value.toPrecision(9)));
    case 'seconds':
      return String(reading.at / 1000);
    case 'ms':
      return String(reading.at);
    case 'time':
      return new Date(reading.at).toISOString();
    default:
      return reading[field];
  }
}

function safe(text: string, target: Target): string {
  if (target === 'json') return JSON.stringify(text).slice(1, -1);
  // eslint-disable-next-line no-control-regex -- control characters are what is taken out
  const line = text.replace(/[\u0000-\u001f\u007f\u2028\u2029]/g, ' ');
  return target === 'topic' ? line.replace(/[+#/]/g, '-') : line;
}

/** Is a body of this type read as JSON, so that what is filled in has to be escaped? */
export const isJson = (contentType: string): boolean => /[/+]json\b/.test(contentType);

export interface BodyLimits {
  /** Readings in one body. */
  readonly records: number;
  /** Length of one body, bytes. */
  readonly bytes: number;
}

/**
 * The longest body from the front of these readings that keeps within the limits, and how many are in it. None are where the first alone is too
 * long.
 */
export function bodyWithin(
  template: BodyTemplate,
  readings: readonly ForwardReading[],
  limits: BodyLimits,
): { body: string; used: number } {
  const target = isJson(template.contentType) ? 'json' : 'text';
  const encoder = new TextEncoder();
  const length = (text: string): number => encoder.encode(text).length;
  const between = length(template.between);
  let bytes = length(template.before) + length(template.after);
  const records: string[] = [];
  for (const reading of readings.slice(0, limits.records)) {
    const record = fillTemplate(template.record, reading, target);
    bytes += length(record) + (records.length > 0 ? between : 0);
    if (bytes > limits.bytes) break;
    records.push(record);
  }
  return { body: `${template.before}${records.join(template.between)}${template.after}`, used: records.length };
}
