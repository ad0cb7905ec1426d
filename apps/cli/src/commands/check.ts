import type { Finding, PolyMesh } from '@estampe/core';
import { checkMesh, InvalidInputError, movedFinding, movedPoints, pairFinding, stackLevel } from '@estampe/core';
import * as z from 'zod';
import { readArgs, whole } from '../args';
import type { Command } from '../command';

const SPEC = {
  name: 'check',
  positionals: ['MESH'],
  options: z.object({
    before: z.string().optional(),
    sculpt: z.string().optional(),
    size: whole(16, 65_536).optional(),
    padding: whole(0, 4096).optional(),
  }),
};

/** Findings of a mesh; with `--before` also which points have moved since. */
export function check(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: [positionals[0], options.before, options.sculpt] });
      const mesh = await context.readMesh(positionals[0]);
      const { size, padding } = options;
      const result = checkMesh(mesh, context.control, {
        ...(size === undefined ? {} : { size }),
        ...(padding === undefined ? {} : { gap: padding }),
      });
      const together =
        options.sculpt === undefined ? null : togetherWith(mesh, (await context.readMeshFile(options.sculpt, { withoutUvs: true })).mesh);
      const earlier = options.before === undefined ? null : await context.readMesh(options.before);
      if (earlier !== null && movedPoints(earlier, mesh) === null)
        throw new InvalidInputError(
          'NOT_A_STACK',
          `${positionals[0]} has other points or polygons than ${options.before ?? ''}, or in another order, so no point can be followed; compare two states of one mesh.`,
          { file: positionals[0] },
        );
      const moved = earlier === null ? null : movedFinding(earlier, mesh);
      const findings = [...result.findings, ...[together, moved].filter((f) => f !== null)].map(
        ({ code, severity, count, message, faces }) => ({
          code,
          severity,
          count,
          message,
          faces: faces.slice(0, 100),
        }),
      );
      return {
        report: { ...result, findings },
        lines: [
          `${result.points} points, ${result.faces} faces, diagonal ${result.diagonal.toPrecision(6)}, tiles ${result.tiles.join(' ') || 'none'}`,
          ...findings.map((f) => `${f.severity}: ${f.code}: ${f.message}`),
        ],
      };
    },
  };
}

function togetherWith(low: PolyMesh, sculpt: PolyMesh): Finding | null {
  const stack = stackLevel(low, sculpt);
  return pairFinding(low, stack?.mesh ?? sculpt, stack?.levels ?? null);
}
