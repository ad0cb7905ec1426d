import type { AnswerOf, BodyOf, ParamsOf, QueryOf, Route } from '@estampe/contracts';
import { paramsSchema } from '@estampe/contracts';
import type { Request, Response, Router } from 'express';
import express from 'express';
import { readRequest } from './read-request';

/** A checked request. */
export interface Asked<R extends Route> {
  readonly params: ParamsOf<R>;
  readonly query: QueryOf<R>;
  readonly body: BodyOf<R>;
  /** For what is no JSON: bytes that come, and what goes out piece by piece. */
  readonly request: Request;
  readonly response: Response;
}
type Answered<R extends Route> = R['answer'] extends object ? AnswerOf<R> : unknown;
/** What a route does. Where it answers with JSON that is returned; a file it sends by itself. */
export type Handlers<Routes extends Readonly<Record<string, Route>>> = {
  readonly [K in keyof Routes]: (asked: Asked<Routes[K]>) => Promise<Answered<Routes[K]>> | Answered<Routes[K]>;
};

/** Largest body of JSON: hundreds of tiles, groups of a hundred thousand faces, and nothing that could fill a server. */
const JSON_LIMIT = '2mb';

/** Serves every route by its handler: parameters, query and body are checked by the route's own schemas before it hears of them. */
export function serveRoutes<Routes extends Readonly<Record<string, Route>>>(
  router: Router,
  routes: Routes,
  handlers: Handlers<Routes>,
): void {
  const json = express.json({ limit: JSON_LIMIT });
  for (const name of Object.keys(routes)) {
    const route: Route = routes[name];
    const handle = handlers[name] as (asked: Asked<Route>) => unknown;
    router[route.method](route.path, ...(route.body ? [json] : []), async (request: Request, response: Response) => {
      const read = (schema: Route['body'], value: unknown): never => (schema ? readRequest(schema, value) : undefined) as never;
      const answer = await handle({
        params: readRequest(paramsSchema(route), request.params),
        query: read(route.query, request.query),
        body: read(route.body, request.body),
        request,
        response,
      });
      if (route.answer) response.status(route.status).json(answer);
      else if (!route.gives) response.status(route.status).end();
    });
  }
}
