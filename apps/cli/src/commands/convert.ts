import type { PolyMesh } from '@estampe/core';
import type { MendName } from '@estampe/core';
import { faceCount, InvalidInputError, MEND_NAMES, MENDS, meshFormatOf, meshFormatNames, MESH_FORMATS, pointCount } from '@estampe/core'; // prettier-ignore
import { writeMesh } from '@estampe/geometry';
import { writeOutput } from '@estampe/node';
import * as z from 'zod';
import { decimal, length, readArgs } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';

const SPEC = {
  name: 'convert',
  positionals: ['IN'],
  flags: ['turn-flipped', 'shift-islands', 'refine-once'],
  options: z.object({
    out: z.string().min(1),
    'uv-set': z.string().min(1).optional(),
    weld: z.union([z.literal('auto'), length], { error: 'auto or a length' }).optional(),
    'drop-pieces': decimal.refine((x) => x > 0 && x < 1, 'a share of the largest piece, between 0 and 1').optional(),
    'turn-flipped': z.boolean().optional(),
    'shift-islands': z.boolean().optional(),
    'refine-once': z.boolean().optional(),
  }),
};
type Options = z.infer<typeof SPEC.options>;

/** The mends that were asked for, one after another, with what each did. */
function mended(mesh: PolyMesh, o: Options): { mesh: PolyMesh; mends: Record<string, number> } {
  const mends: Record<string, number> = {};
  const asked: Readonly<Partial<Record<MendName, number | boolean | 'auto'>>> = o;
  for (const name of MEND_NAMES) {
    const amount = asked[name];
    if (amount === undefined || amount === false) continue;
    const { mesh: next, count } = MENDS[name].apply(mesh, typeof amount === 'number' ? amount : null);
    mesh = next;
    mends[MENDS[name].counted] = count;
  }
  return { mesh, mends };
}

/** A mesh from one format into another, both by their names' endings; what the other cannot hold is said. Mends are made
 *  on the way where they are asked for. */
export function convert(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  const format = meshFormatOf(options.out);
  if (format === null || !MESH_FORMATS[format].written)
    throw new InvalidInputError(
      'BAD_OPTION',
      `convert: ${options.out} does not end like a format that is written (${meshFormatNames()}); name it so.`,
      {
        option: 'out',
      },
    );
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: [positionals[0]], outputs: [options.out] });
      const lap = stopwatch();
      const { mesh: given, scene, uvSets = [] } = await context.readMeshFile(positionals[0], { uvSet: options['uv-set'] });
      const read = lap();
      const { mesh, mends } = mended(given, options);
      await context.pause();
      const { bytes, lost } = await writeMesh(mesh, options.out, { control: context.control, scene });
      if (lost !== null) context.warnings.push(`${options.out}: ${lost}`);
      await writeOutput(options.out, bytes);
      return {
        report: {
          points: pointCount(mesh),
          faces: faceCount(mesh),
          ...scene,
          uvSets,
          mends,
          bytes: bytes.length,
          lost,
          seconds: { read, write: lap() },
        },
        lines: [context.describe(options.out, mesh), ...Object.entries(mends).map(([name, n]) => `${name}: ${n}`)],
      };
    },
  };
}
