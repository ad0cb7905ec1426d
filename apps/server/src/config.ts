import * as z from 'zod';

const schema = z.object({
  DATABASE_URL: z.string().regex(/^postgres(ql)?:\/\//, 'a postgres:// address is needed'),
  HOST: z.string().default('127.0.0.1'),
  PORT: z.coerce.number().int().min(0).max(65535).default(4310),
  /** Folder of the built web application. */
  WEB_DIR: z.string().optional(),
  /** Top level of the demo's bell; the full demo has 4. */
  DEMO_TOP_LEVEL: z.coerce.number().int().min(1).max(5).default(4),
  LOG_LEVEL: z.enum(['fatal', 'error', 'warn', 'info', 'debug', 'silent']).default('info'),
});
export type Config = z.infer<typeof schema>;

/** @throws Error naming the variable */
export function readConfig(env: NodeJS.ProcessEnv): Config {
  const parsed = schema.safeParse(env);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new Error(`environment variable ${String(issue.path[0])}: ${issue.message}`);
}
