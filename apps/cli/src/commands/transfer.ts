import {
  cornerCount,
  diagonalOf,
  faceCount,
  facesAfter,
  levelFindings,
  levelsNear,
  pointCount,
  MOST_TRANSFER_LEVELS,
  quadsOf,
  transferringBytes,
  transferSculpt,
} from '@estampe/core';
import type { TransferFigures } from '@estampe/core';
import { requireMemory } from '@estampe/node';
import * as z from 'zod';
import { length, readArgs, rulesOf, SURFACE, surfaceOf, whole } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';
import { LEVEL_FORMAT, levelFiles, writeLevels } from '../level-files';

const SPEC = {
  name: 'transfer',
  positionals: ['LOW', 'SCULPT'],
  options: z.object({
    out: z.string().min(1),
    levels: whole(1, MOST_TRANSFER_LEVELS).optional(),
    reach: z.literal('auto').or(length).default('auto'),
    ...LEVEL_FORMAT,
    ...SURFACE,
  }),
};

/** The detail of a free sculpt for a light mesh, level by level. */
export function transfer(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  const { out, format } = options;
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: positionals, outputs: await levelFiles(out, format) });
      const { mesh: low, scene } = await context.readMeshFile(positionals[0]);
      const sculpt = await context.readSculpt(positionals[1]);
      const levels = options.levels ?? levelsNear(low, quadsOf(sculpt));
      requireMemory(
        transferringBytes(facesAfter(faceCount(low), cornerCount(low), levels), pointCount(sculpt)),
        `Transferring to ${levels} levels`,
        'ask for fewer levels',
      );
      const lap = stopwatch();
      const told: (TransferFigures & { readonly level: number; readonly seconds: number })[] = [];
      const made = await transferSculpt(
        low,
        sculpt,
        { levels, reach: options.reach === 'auto' ? null : options.reach },
        {
          surface: { ...rulesOf(scene), ...surfaceOf(options) },
          threads: context.threads,
          control: context.control,
          each: ({ faces, projectedShare, carried, refused, rms, max, folds, reach }, level) =>
            told.push({ level, faces, projectedShare, carried, refused, rms, max, folds, reach, seconds: lap() }),
        },
      );
      await context.pause();
      const lines = await writeLevels(context, out, format, [low, ...made.map(({ mesh }) => mesh)], scene);
      // whatever matters is seen on the finest
      for (const { message } of levelFindings(made.length, made[made.length - 1])) context.warnings.push(`${positionals[1]}: ${message}`);
      const short = (x: number): string => String(Number(x.toPrecision(3)));
      return {
        report: { faces: faceCount(low), levels: told, diagonal: diagonalOf(sculpt.positions) },
        lines: [
          ...lines,
          ...told.map(
            ({ level, projectedShare, rms, max, folds, seconds }) =>
              `level ${level}: ${(100 * projectedShare).toFixed(2)} % projected, ${short(rms)} from the sculpt (at most ${short(max)}), ${folds} ${folds === 1 ? 'fold' : 'folds'}, ${seconds.toFixed(1)} s`,
          ),
        ],
      };
    },
  };
}
