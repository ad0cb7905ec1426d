import * as z from 'zod';

/** What an address of the API takes and gives. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** Below `/api`; `:id` is a UUID, `:hash` a content hash. */
  readonly path: string;
  /** One sentence for the description. */
  readonly says: string;
  readonly query?: z.ZodType;
  /** JSON. */
  readonly body?: z.ZodType;
  /** Media type of a body that is not JSON. */
  readonly takes?: string;
  /** JSON that is answered; left out where nothing, or a file, comes back. */
  readonly answer?: z.ZodType;
  /** Media type of a file that comes back. */
  readonly gives?: string;
  readonly status: 200 | 201 | 202 | 204;
}

type Names<Path extends string> = Path extends `${string}:${infer Name}/${infer Rest}`
  ? Name | Names<`/${Rest}`>
  : Path extends `${string}:${infer Name}`
    ? Name
    : never;
export type ParamsOf<R extends Route> = Readonly<Record<Names<R['path']>, string>>;
type Given<R extends Route, Key extends 'query' | 'body', Of extends 'input' | 'output'> = R[Key] extends z.ZodType
  ? Of extends 'input'
    ? z.input<R[Key]>
    : z.output<R[Key]>
  : undefined;
export type QueryOf<R extends Route, Of extends 'input' | 'output' = 'output'> = Given<R, 'query', Of>;
export type BodyOf<R extends Route, Of extends 'input' | 'output' = 'output'> = Given<R, 'body', Of>;
export type AnswerOf<R extends Route> = R['answer'] extends z.ZodType ? z.output<R['answer']> : undefined;

const NAMES: Readonly<Record<string, z.ZodType<string>>> = {
  id: z.uuid('that address is not complete'),
  hash: z.string().regex(/^[0-9a-f]{64}$/, 'that address is not complete'),
};
const namesIn = (path: string): string[] => [...path.matchAll(/:(\w+)/g)].map(([, name]) => name);

/** What the variable parts of a route's address may be. */
export const paramsSchema = <R extends Route>({ path }: R): z.ZodType<ParamsOf<R>> =>
  z.object(Object.fromEntries(namesIn(path).map((name) => [name, NAMES[name]]))) as unknown as z.ZodType<ParamsOf<R>>;

/** Address of a route on this server. @param query values that are null or undefined are left out */
export function addressOf<R extends Route>(
  { path }: R,
  params: ParamsOf<R>,
  query: Readonly<Record<string, string | null | undefined>> = {},
): string {
  const filled = path.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent((params as Readonly<Record<string, string>>)[name]));
  const asked = Object.entries(query).flatMap(([key, value]) => (typeof value === 'string' ? [`${key}=${encodeURIComponent(value)}`] : []));
  return `/api${filled}${asked.length === 0 ? '' : `?${asked.join('&')}`}`;
}
