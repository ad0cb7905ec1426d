import { checkMesh, InvalidInputError, movedFinding, movedPoints } from '@estampe/core';
import * as z from 'zod';
import { readArgs } from '../args';
import type { Command } from '../command';

const SPEC = { name: 'check', positionals: ['MESH'], options: z.object({ before: z.string().optional() }) };

/** Findings of a mesh; with `--before` also which points have moved since. */
export function check(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: [positionals[0], options.before] });
      const mesh = await context.readMesh(positionals[0]);
      const result = checkMesh(mesh, context.control);
      const earlier = options.before === undefined ? null : await context.readMesh(options.before);
      if (earlier !== null && movedPoints(earlier, mesh) === null)
        throw new InvalidInputError(
          'NOT_A_STACK',
          `${positionals[0]} has other points or polygons than ${options.before ?? ''}, or in another order, so no point can be followed; compare two states of one mesh.`,
          { file: positionals[0] },
        );
      const moved = earlier === null ? null : movedFinding(earlier, mesh);
      const findings = [...result.findings, ...(moved === null ? [] : [moved])].map(({ code, severity, count, message, faces }) => ({
        code,
        severity,
        count,
        message,
        faces: faces.slice(0, 100),
      }));
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
