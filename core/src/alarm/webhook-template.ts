/** What a template of a webhook may hold in braces: the message's own fields. */
export const TEMPLATE_PLACEHOLDERS = [
  ...(['site', 'id', 'to', 'title', 'text', 'severity', 'alertId', 'trippedAt', 'sentAt', 'link'] as const),
] as const;
export type TemplateValues = Readonly<Record<(typeof TEMPLATE_PLACEHOLDERS)[number], string | number | null>>;

type Json = string | number | boolean | null | Json[] | { [name: string]: Json };
const NAMED = /\{([a-zA-Z]+)\}/g;
const isKnown = (name: string): name is keyof TemplateValues => (TEMPLATE_PLACEHOLDERS as readonly string[]).includes(name);

function stringsIn(json: Json): string[] {
  if (typeof json === 'string') return [json];
  if (typeof json !== 'object' || json === null) return [];
  return (Array.isArray(json) ? json : Object.values(json)).flatMap(stringsIn);
}

/** Why a template cannot be used, in words; `null`: it can. It is JSON, with placeholders in its strings. */
export function templateFault(template: string): string | null {
  let json: Json;
  try {
    json = JSON.parse(template) as Json;
  } catch (error) {
    return `no JSON: ${error instanceof Error ? error.message : String(error)}`;
  }
  if (typeof json !== 'object' || json === null || Array.isArray(json)) return 'one JSON object, such as {"message": "{title}: {text}"}';
  const unknown = stringsIn(json).flatMap((text) =>
    [...text.matchAll(NAMED)].map(([, name = '']) => name).filter((name) => !isKnown(name)),
  );
  if (unknown.length === 0) return null;
  return `{${unknown[0]}} stands for nothing: use ${TEMPLATE_PLACEHOLDERS.map((name) => `{${name}}`).join(', ')}`;
}

function filled(json: Json, values: TemplateValues): Json {
  if (typeof json === 'string') {
    const [, only = ''] = /^\{([a-zA-Z]+)\}$/.exec(json) ?? [];
    // Alone it keeps its kind: a number stays one, and what is not there is null.
    if (isKnown(only)) return values[only];
    return json.replace(NAMED, (whole, name: string) => (isKnown(name) ? String(values[name] ?? '–') : whole));
  }
  if (typeof json !== 'object' || json === null) return json;
  if (Array.isArray(json)) return json.map((each) => filled(each, values));
  return Object.fromEntries(Object.entries(json).map(([name, each]) => [name, filled(each, values)]));
}

/** A template with its values filled in, as JSON: whatever a text holds, it stays inside its string. Throws where the template is no JSON. */
export const fillTemplate = (template: string, values: TemplateValues): string =>
  JSON.stringify(filled(JSON.parse(template) as Json, values));
