import { z } from 'zod';
import { ProblemSchema } from './problem';
import { ROUTES } from './routes';

const schemaOf = (type: z.ZodType): unknown => {
  const schema: Record<string, unknown> = {
    ...z.toJSONSchema(type, { unrepresentable: 'any', io: 'input' }),
  };
  delete schema.$schema;
  return schema;
};
const json = (type: z.ZodType, media = 'application/json'): unknown => ({
  content: { [media]: { schema: schemaOf(type) } },
});

/** The OpenAPI 3.1 document of the API, made from the schemas that parse its bodies. */
export function openApi(version: string): unknown {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const r of ROUTES) {
    const names = [...r.path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]!);
    const query = r.query
      ? Object.entries(
          (schemaOf(r.query) as { properties: Record<string, unknown>; required?: string[] }).properties,
        )
      : [];
    const needed = r.query ? ((schemaOf(r.query) as { required?: string[] }).required ?? []) : [];
    (paths[`/api${r.path}`] ??= {})[r.method] = {
      summary: r.summary,
      'x-role': r.role,
      ...(r.role === 'anyone' ? { security: [] } : {}),
      parameters: [
        ...names.map((name) => ({
          name,
          in: 'path',
          required: true,
          schema: name === 'number' ? { type: 'integer' } : { type: 'string', format: 'uuid' },
        })),
        ...query.map(([name, schema]) => ({ name, in: 'query', required: needed.includes(name), schema })),
        ...(r.method === 'get'
          ? []
          : [
              {
                name: 'Idempotency-Key',
                in: 'header',
                required: false,
                schema: { type: 'string', format: 'uuid' },
              },
            ]),
      ],
      ...(r.body ? { requestBody: { required: true, ...(json(r.body) as object) } } : {}),
      ...(r.file ? { requestBody: { required: true, content: { 'application/octet-stream': {} } } } : {}),
      responses: {
        [r.status]: { description: r.summary, ...(r.answer ? (json(r.answer) as object) : {}) },
        default: {
          description: 'A problem, RFC 9457',
          ...(json(ProblemSchema, 'application/problem+json') as object),
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Bold Cellmend', version },
    paths,
    components: { securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: 'cellmend.sid' } } },
    security: [{ session: [] }],
  };
}
