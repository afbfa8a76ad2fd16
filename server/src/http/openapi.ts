import * as z from 'zod';
import { bound } from './bind';

/** The OpenAPI 3.1 document of every bound endpoint, generated from the schemas that check them. */
export function openApiDocument(): object {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const endpoint of bound) {
    const path = endpoint.path.replace(/:(\w+)/g, '{$1}');
    const parameters = [...parametersOf(endpoint.params, 'path'), ...('raw' in endpoint ? [] : parametersOf(endpoint.query, 'query'))];
    const body = 'raw' in endpoint ? {} : schemaOf(endpoint.body, 'input');
    const takesBody =
      !('raw' in endpoint) && endpoint.method !== 'get' && JSON.stringify(body) !== JSON.stringify(schemaOf(z.object({}), 'input'));
    (paths[path] ??= {})[endpoint.method] = {
      summary: endpoint.summary,
      tags: [path.split('/')[3] ?? 'api'],
      security: endpoint.door === 'open' ? [] : [{ [endpoint.door === 'share' ? 'share' : 'session']: [] }],
      ...(parameters.length > 0 && { parameters }),
      ...(takesBody && { requestBody: { required: true, content: { 'application/json': { schema: body } } } }),
      responses: {
        200: {
          description: 'Done',
          content: 'raw' in endpoint ? { [endpoint.gives]: {} } : { 'application/json': { schema: schemaOf(endpoint.reply, 'output') } },
        },
        default: { description: 'A problem document (RFC 9457)', content: { 'application/problem+json': {} } },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Dew Post',
      version: '1',
      description: 'Nodes speak the node protocol (docs/node-protocol.md); this is the API of pages and scripts.',
    },
    components: {
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'dewpost.session' },
        share: { type: 'apiKey', in: 'cookie', name: 'dewpost.share' },
      },
    },
    paths,
  };
}

const schemaOf = (schema: z.ZodType, io: 'input' | 'output'): object => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<string, unknown>;
  return rest;
};

function parametersOf(schema: z.ZodType, place: 'path' | 'query'): object[] {
  const { properties = {}, required = [] } = schemaOf(schema, 'input') as { properties?: Record<string, object>; required?: string[] };
  return Object.entries(properties).map(([name, property]) => ({
    name,
    in: place,
    required: place === 'path' || required.includes(name),
    schema: property,
  }));
}
