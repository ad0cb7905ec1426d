import { faceCount, pointCount, recoveringBytes, recoverLevels } from '@estampe/core';
import { requireMemory } from '@estampe/node';
import * as z from 'zod';
import { readArgs, rulesOf, SURFACE, surfaceOf, whole } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';
import { LEVEL_FORMAT, levelFiles, writeLevels } from '../level-files';

const SPEC = {
  name: 'recover',
  positionals: ['DENSE'],
  options: z.object({ out: z.string().min(1), levels: whole(1, 12).optional(), ...LEVEL_FORMAT, ...SURFACE }),
};

/** The coarse levels that a dense mesh was refined from. */
export function recover(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  const { out, format } = options;
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: positionals, outputs: await levelFiles(out, format) });
      const { mesh: dense, scene } = await context.readMeshFile(positionals[0]);
      requireMemory(recoveringBytes(faceCount(dense)), `Recovering from ${faceCount(dense)} faces`, 'start from a lower level');
      const lap = stopwatch();
      const { levels, stopped } = recoverLevels(dense, options.levels, { ...rulesOf(scene), ...surfaceOf(options) }, context.control);
      const seconds = lap();
      const found = levels.reduce((sum, level) => sum + level.ambiguous, 0);
      if (found > 0)
        context.warnings.push(
          `${positionals[0]}: ${found} ${found === 1 ? 'piece' : 'pieces'} could have been refined from several meshes; the one by the order of the file, its UVs or the better fit was taken.`,
        );
      await context.pause();
      const meshes = [...levels.map(({ mesh }) => mesh).reverse(), dense];
      const lines = levels.length === 0 ? [] : await writeLevels(context, out, format, meshes, scene);
      return {
        report: {
          levels: meshes.map((mesh, level) => ({
            level,
            points: pointCount(mesh),
            faces: faceCount(mesh),
            // what a sculptor did to this level: its farthest point from the refined one below
            residual: level === 0 ? null : levels[levels.length - level].residual,
          })),
          stopped,
          seconds,
        },
        lines: [...lines, levels.length === 0 ? `no coarser level: ${stopped}` : `stopped: ${stopped}`],
      };
    },
  };
}
