import { faceCount, InvalidInputError, meshFormatOf, MESH_FORMATS, MESH_FORMAT_NAMES, pointCount } from '@estampe/core';
import { writeMesh } from '@estampe/geometry';
import { writeOutput } from '@estampe/node';
import * as z from 'zod';
import { readArgs } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';

const SPEC = {
  name: 'convert',
  positionals: ['IN'],
  options: z.object({ out: z.string().min(1), 'uv-set': z.string().min(1).optional() }),
};

/** A mesh from one format into another, both by their names' endings; what the other cannot hold is said. */
export function convert(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  const format = meshFormatOf(options.out);
  if (format === null || !MESH_FORMATS[format].written)
    throw new InvalidInputError(
      'BAD_OPTION',
      `convert: ${options.out} does not end like a format that is written (${MESH_FORMAT_NAMES}); name it so.`,
      {
        option: 'out',
      },
    );
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: [positionals[0]], outputs: [options.out] });
      const lap = stopwatch();
      const { mesh, scene, uvSets = [] } = await context.readMeshFile(positionals[0], options['uv-set']);
      const read = lap();
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
          bytes: bytes.length,
          lost,
          seconds: { read, write: lap() },
        },
        lines: [context.describe(options.out, mesh)],
      };
    },
  };
}
