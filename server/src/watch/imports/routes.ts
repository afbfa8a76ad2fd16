import { importClockSchema, imports as contract, type ImportSettings } from '@dewpost/contract';
import { DATE_ORDERS, SEPARATORS } from '@dewpost/core/import';
import { Router, type Request } from 'express';
import { bind, bindRaw } from '../../http/bind';
import { ProblemError } from '../../problem/problem';
import type { Imports } from './imports';
import { asTable, OTHER_FORMS } from './other-forms';
import type { Noticed } from './settings';

const refuse = (name: string, words: string): never => {
  throw new ProblemError(422, 'Cannot be used', `query.${name}: ${words}`);
};

/** Files of readings from elsewhere. */
export function importRoutes(imports: Imports): Router {
  const router = Router();
  bind(router, contract.list, () => imports.list());
  bind(router, contract.one, ({ params }) => imports.one(params.id));
  bind(router, contract.change, ({ params, body }) => imports.change(params.id, body));
  bind(router, contract.keep, ({ params }) => imports.keep(params.id));
  bind(router, contract.remove, async ({ params }) => {
    await imports.remove(params.id);
    return {};
  });
  bindRaw(router, contract.add, async ({ request, response, me }) => {
    const type = (request.headers['content-type'] ?? '').split(';')[0]?.trim();
    const other = OTHER_FORMS.find((one) => one === type);
    if (type !== 'text/csv' && type !== 'text/plain' && !other)
      throw new ProblemError(
        415,
        'Not a table',
        `Send the file as text/csv (a line of heads, then a line a time), or as ${OTHER_FORMS.join(', ')}.`,
      );
    const text = textOf(request);
    const taken = await imports.add(other ? asTable(other, request) : request, {
      name: (text('name') ?? 'readings.csv').slice(0, 120),
      settings: (noticed) => settingsOf(noticed, text),
      keep: text('keep') !== 'false',
      by: me?.name ?? '',
    });
    response.status(201).json(taken);
  });
  return router;
}

const textOf =
  (request: Request) =>
  (name: string): string | undefined => {
    const given = request.query[name];
    return typeof given === 'string' && given !== '' ? given : undefined;
  };

/** What was noticed, with what the caller says instead. */
function settingsOf({ settings, columns, ours }: Noticed, text: (name: string) => string | undefined): ImportSettings {
  const column = (name: string, of: string): number => {
    const place = columns.findIndex((head) => head.trim() === of.trim());
    return place === -1 ? refuse(name, `there is no column ${of}: there are ${columns.join(', ')}`) : place;
  };
  const among = <T extends string>(name: string, all: readonly T[], known: T): T => {
    const given = text(name);
    return given === undefined ? known : (all.find((one) => one === given) ?? refuse(name, `one of ${all.join(' ')}`));
  };
  const clock = text('clock');
  if (clock !== undefined && !importClockSchema.safeParse(clock).success) refuse('clock', 'UTC, site, or a distance from UTC as +01:00');
  const time = text('time');
  const decimal = among('decimal', ['comma', 'point'] as const, settings.decimalComma ? 'comma' : 'point');
  return {
    separator: among('separator', SEPARATORS, settings.separator),
    decimalComma: decimal === 'comma',
    dateOrder: among('order', DATE_ORDERS, settings.dateOrder),
    timeColumn: time !== undefined ? column('time', time) : ours ? columns.indexOf('time') : settings.timeColumn,
    clock: clock ?? null,
    map: pairsOf(text('map')).map(([head, point]) => ({ column: column('map', head), point })),
  };
}

/** `Temp:loft-1/temperature,Hum:loft-1/humidity`, or the same as a JSON object. */
function pairsOf(map: string | undefined): (readonly [string, string])[] {
  if (map === undefined) return [];
  if (map.startsWith('{')) {
    let given: unknown;
    try {
      given = JSON.parse(map);
    } catch {
      return refuse('map', 'not JSON');
    }
    const pairs = Object.entries(given as Record<string, unknown>);
    if (pairs.some(([, point]) => typeof point !== 'string')) refuse('map', 'each column to a node/point');
    return pairs as [string, string][];
  }
  return map.split(',').map((pair) => {
    const at = pair.lastIndexOf(':');
    return at < 1 ? refuse('map', 'column:node/point, apart by commas') : ([pair.slice(0, at), pair.slice(at + 1)] as const);
  });
}
