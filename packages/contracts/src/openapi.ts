import * as z from 'zod';
import { errorBodySchema } from './api';
import type { Route } from './route';
import { paramsSchema } from './route';
import { ROUTES } from './routes';

type Json = Readonly<Record<string, unknown>>;

/** JSON Schema of what may be sent (`input`) or comes back (`output`); checks that it cannot express are left to the server. */
const jsonSchema = (schema: z.ZodType, io: 'input' | 'output'): Json =>
  Object.fromEntries(Object.entries(z.toJSONSchema(schema, { io, unrepresentable: 'any' })).filter(([key]) => key !== '$schema'));

function parameters(schema: z.ZodType, where: 'path' | 'query'): Json[] {
  const { properties = {}, required = [] } = jsonSchema(schema, 'input') as { properties?: Record<string, Json>; required?: string[] };
  return Object.entries(properties).map(([name, of]) => ({ name, in: where, required: required.includes(name), schema: of }));
}

function operation(name: string, route: Route): Json {
  const { says, query, body, takes, answer, gives, status } = route;
  const content = body ? { 'application/json': { schema: jsonSchema(body, 'input') } } : takes ? { [takes]: { schema: {} } } : null;
  const back = answer ? { 'application/json': { schema: jsonSchema(answer, 'output') } } : gives ? { [gives]: { schema: {} } } : null;
  return {
    operationId: name,
    summary: says,
    parameters: [...parameters(paramsSchema(route), 'path'), ...(query ? parameters(query, 'query') : [])],
    ...(content ? { requestBody: { required: true, content } } : {}),
    responses: {
      [status]: { description: says, ...(back ? { content: back } : {}) },
      default: { description: 'What is wrong and what to do, in one sentence.', content: { 'application/json': { schema: jsonSchema(errorBodySchema, 'output') } } },
    },
  }; // prettier-ignore
}

/** The API described by the OpenAPI Specification 3.1, made from the routes. */
export function openApi(): Json {
  const paths: Record<string, Record<string, Json>> = {};
  for (const [name, route] of Object.entries(ROUTES) as [string, Route][]) {
    const path = `/api${route.path.replace(/:(\w+)/g, '{$1}')}`;
    (paths[path] ??= {})[route.method] = operation(name, route);
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Estampe', version: '1', description: 'What the bench asks of its server. Lengths are in the asset\'s unit, shares from 0 to 1.' },
    paths,
  }; // prettier-ignore
}
