import { parseArgs } from 'node:util';
import type { SceneFacts, SurfaceOptions } from '@estampe/core';
import { ENCODING_RANGES, EXTRACT_RANGES, InvalidInputError } from '@estampe/core';
import * as z from 'zod';

/** What a command takes: names of positional arguments and a schema of its options (all strings or flags). */
export interface CommandSpec<Shape extends z.ZodRawShape> {
  readonly name: string;
  readonly positionals: readonly string[];
  readonly options: z.ZodObject<Shape>;
  /** Options without a value. */
  readonly flags?: readonly string[];
}

/** Options that every command has. */
const COMMON = z.object({
  json: z.string().min(1).optional(),
  threads: z.coerce.number().int().min(1).max(256).optional(),
});
export type CommonOptions = z.infer<typeof COMMON>;

const SHORT: Readonly<Record<string, string>> = { out: 'o', threads: 'j' };

/** Reads arguments strictly. @throws InvalidInputError BAD_OPTION with one clear sentence */
export function readArgs<Shape extends z.ZodRawShape>(
  spec: CommandSpec<Shape>,
  argv: readonly string[],
): { positionals: string[]; options: z.infer<z.ZodObject<Shape>> & CommonOptions } {
  const shape = { ...spec.options.shape, ...COMMON.shape };
  const config = Object.fromEntries(
    Object.keys(shape).map((name) => [
      name,
      { type: spec.flags?.includes(name) ? ('boolean' as const) : ('string' as const), ...(name in SHORT ? { short: SHORT[name] } : {}) },
    ]),
  );
  let values: Record<string, string | boolean | undefined>;
  let positionals: string[];
  try {
    const parsed = parseArgs({ args: joinNegatives(argv), options: config, allowPositionals: true, strict: true });
    values = parsed.values;
    positionals = parsed.positionals;
  } catch (error) {
    const first = (error instanceof Error ? error.message : String(error)).split(/[.\n]/)[0];
    throw new InvalidInputError('BAD_OPTION', `${spec.name}: ${first}; see estampe ${spec.name} --help.`);
  }
  if (positionals.length !== spec.positionals.length)
    throw new InvalidInputError(
      'BAD_OPTION',
      `${spec.name} takes ${spec.positionals.join(' ') || 'no file'} and got ${positionals.length} of ${spec.positionals.length}; see estampe ${spec.name} --help.`,
    );
  const parsed = z.object(shape).safeParse(values);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const option = String(issue.path[0]);
    const given = values[option];
    throw new InvalidInputError(
      'BAD_OPTION',
      given === undefined
        ? `${spec.name} needs --${option}; see estampe ${spec.name} --help.`
        : `${spec.name}: --${option} ${String(given)} is not possible (${issue.message}).`,
      { option },
    );
  }
  return { positionals, options: parsed.data as z.infer<z.ZodObject<Shape>> & CommonOptions };
}

/** `--midpoint -0.5` reads as a value, not as an option. */
function joinNegatives(argv: readonly string[]): string[] {
  const out: string[] = [];
  for (const arg of argv) {
    const last = out[out.length - 1] ?? '';
    if (/^-\d|^-\./.test(arg) && /^--[a-z-]+$/.test(last)) out[out.length - 1] = `${last}=${arg}`;
    else out.push(arg);
  }
  return out;
}

export const SURFACE = {
  boundary: z.enum(['edge-and-corner', 'edge-only']).optional(),
  uv: z.enum(['linear', 'corners', 'boundaries', 'smooth']).optional(),
};

export const surfaceOf = (o: {
  readonly boundary?: SurfaceOptions['boundary'] | undefined;
  readonly uv?: SurfaceOptions['uv'] | undefined;
}): Partial<SurfaceOptions> => ({
  ...(o.boundary === undefined ? {} : { boundary: o.boundary }),
  ...(o.uv === undefined ? {} : { uv: o.uv }),
});

/** The rules that a mesh's own file says. */
export const rulesOf = ({ boundary, uv }: SceneFacts): Partial<SurfaceOptions> => surfaceOf({ boundary, uv });

/** A finite decimal number; empty text is none. */
export const decimal = z
  .string()
  .refine((s) => s.trim() !== '' && Number.isFinite(Number(s)), 'not a number')
  .transform(Number);
export const whole = (min: number, max: number): z.ZodType<number, string> =>
  decimal.refine((n) => Number.isInteger(n) && n >= min && n <= max, `a whole number from ${min} to ${max} is needed`);

const within = ([min, max]: readonly [number, number]): z.ZodType<number, string> =>
  decimal.refine((n) => n >= min && n <= max, `a number from ${min} to ${max} is needed`);

/** How a map's values are stored, as `encode` and `proof` take it. */
export const ENCODING = {
  midpoint: z
    .union([z.literal('exact'), within(ENCODING_RANGES.midpoint)], {
      error: `exact or a number from ${ENCODING_RANGES.midpoint.join(' to ')}`,
    })
    .optional(),
  scale: within(ENCODING_RANGES.scale).optional(),
};

/** A length in the mesh's unit. */
export const length = within(EXTRACT_RANGES.length);
