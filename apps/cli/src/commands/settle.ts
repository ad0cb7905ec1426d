import { faceCount, pointCount, settleBase, settlingBytes } from '@estampe/core';
import { writeMesh } from '@estampe/geometry';
import { requireMemory, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { readArgs, rulesOf, SURFACE, surfaceOf } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';

const SPEC = { name: 'settle', positionals: ['BASE', 'TOP'], options: z.object({ out: z.string().min(1), ...SURFACE }) };

/** A base whose smooth surface lies where the top level of its stack is. */
export function settle(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: positionals, outputs: [options.out] });
      const { mesh: base, scene } = await context.readMeshFile(positionals[0]);
      const top = await context.readMesh(positionals[1]);
      requireMemory(settlingBytes(faceCount(top)), `Settling under ${faceCount(top)} faces`, 'settle under a lower level');
      const lap = stopwatch();
      const settled = settleBase(base, top, { ...rulesOf(scene), ...surfaceOf(options) }, context.control);
      const seconds = lap();
      await context.pause();
      const { bytes, lost } = await writeMesh(settled.base, options.out, { control: context.control, scene });
      if (lost !== null) context.warnings.push(`${options.out}: ${lost}`);
      await writeOutput(options.out, bytes);
      const short = (x: number): string => String(Number(x.toPrecision(4)));
      const { before, after } = settled;
      return {
        report: { points: pointCount(base), faces: faceCount(base), before, after, seconds },
        lines: [
          context.describe(options.out, settled.base),
          `from the top level: ${short(before.rms)} before, ${short(after.rms)} now (at most ${short(before.max)}, ${short(after.max)})`,
        ],
      };
    },
  };
}
