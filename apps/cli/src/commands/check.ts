import { checkMesh } from '@estampe/core';
import * as z from 'zod';
import { readArgs } from '../args';
import type { Command } from '../main';

const SPEC = { name: 'check', positionals: ['MESH'], options: z.object({}) };

export function check(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  return {
    common: options,
    async run(context) {
      const result = checkMesh(await context.readMesh(positionals[0]), context.control);
      const findings = result.findings.map(({ code, severity, count, message, faces }) => ({
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
