import * as z from 'zod';
import { isLoopback } from './http/who-may-ask';

const workerSchema = z.object({
  DATABASE_URL: z
    .string({ error: 'is not set; give the address of the database, postgres://…' })
    .regex(/^postgres(ql)?:\/\//, 'a postgres:// address is needed'),
  LOG_LEVEL: z.enum(['fatal', 'error', 'warn', 'info', 'debug', 'silent']).default('info'),
  /** Threads that a task may use; all cores unless said. */
  THREADS: z.coerce.number().int().min(1).max(256).optional(),
});
export type WorkerConfig = z.infer<typeof workerSchema>;

/** Shorter or plainer ones could be guessed. */
const LEAST_TOKEN = { length: 32, different: 10 };

const schema = workerSchema
  .extend({
    HOST: z.string().default('127.0.0.1'),
    PORT: z.coerce.number().int().min(0).max(65535).default(4310),
    /** What everybody must show who uses the server; without it nobody but this machine can. */
    ESTAMPE_TOKEN: z
      .string()
      .regex(/^[\w.~+/=-]*$/, 'letters, digits and . _ ~ + / = - only')
      .refine(
        (token) => token.length >= LEAST_TOKEN.length && new Set(token).size >= LEAST_TOKEN.different,
        `at least ${LEAST_TOKEN.length} random characters are needed, for example from: openssl rand -hex 32`,
      )
      .optional(),
    /** Further names by which the server is reached, with commas between. */
    ESTAMPE_HOSTS: z
      .string()
      .transform((text) =>
        text
          .split(',')
          .map((name) => name.trim())
          .filter(Boolean),
      ) // prettier-ignore
      .optional(),
    /** Folder of the built web application. */
    WEB_DIR: z.string().optional(),
    /** Top level of the demo's bell; the full demo has 4, and 0 leaves the demo out. */
    DEMO_TOP_LEVEL: z.coerce.number().int().min(0).max(5).default(4),
    /** `no` leaves all jobs to workers that run by themselves. */
    EMBEDDED_WORKER: z.enum(['yes', 'no']).default('yes'),
  })
  .refine(({ HOST, ESTAMPE_TOKEN }) => isLoopback(HOST) || ESTAMPE_TOKEN !== undefined, {
    path: ['HOST'],
    error: 'it lets other machines in; set ESTAMPE_TOKEN to a long random text too (openssl rand -hex 32), or leave HOST out',
  });
export type Config = z.infer<typeof schema>;

/** @throws Error naming the variable */
export const readConfig = (env: NodeJS.ProcessEnv): Config => read(schema, env);
/** @throws Error naming the variable */
export const readWorkerConfig = (env: NodeJS.ProcessEnv): WorkerConfig => read(workerSchema, env);

function read<T>(schemaOf: z.ZodType<T>, env: NodeJS.ProcessEnv): T {
  const parsed = schemaOf.safeParse(env);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new Error(`environment variable ${String(issue.path[0])}: ${issue.message}`);
}
