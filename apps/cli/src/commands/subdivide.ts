import { faceCount, limitPoints, MESH_FORMATS, meshFormatOf, pointCount, refineLevels, refiningBytes } from '@estampe/core';
import { writeMesh } from '@estampe/geometry';
import { requireMemory, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { readArgs, rulesOf, SURFACE, surfaceOf, whole } from '../args';
import { stopwatch } from '../context';
import type { Command } from '../command';

const SPEC = {
  name: 'subdivide',
  positionals: ['BASE'],
  flags: ['limit'],
  options: z.object({ out: z.string().min(1), levels: whole(0, 12), limit: z.boolean().optional(), ...SURFACE }),
};

export function subdivide(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  return {
    common: options,
    async run(context) {
      await context.claim({ inputs: [positionals[0]], outputs: [options.out] });
      const { mesh: base, scene } = await context.readMeshFile(positionals[0]);
      const format = meshFormatOf(options.out);
      const as = format !== null && MESH_FORMATS[format].written === 'text' ? 'text' : 'numbers';
      const needed = refiningBytes(base, options.levels, as, options.limit === true);
      requireMemory(needed, `Refining ${options.levels} times`, 'ask for fewer levels');
      const lap = stopwatch();
      const level = refineLevels(base, options.levels, { ...rulesOf(scene), ...surfaceOf(options) }, context.control);
      let { mesh } = level;
      if (options.levels === 0) mesh = { ...mesh, normals: null, faceNormals: null };
      if (options.limit === true) {
        const { positions, normals, uvs } = limitPoints(level);
        mesh = { ...mesh, positions, uvs: uvs ?? mesh.uvs, normals, faceNormals: mesh.faceVerts };
      }
      const seconds = lap();
      const { bytes, lost } = await writeMesh(mesh, options.out, { control: context.control, scene });
      if (lost !== null) context.warnings.push(`${options.out}: ${lost}`);
      await writeOutput(options.out, bytes);
      return { report: { points: pointCount(mesh), faces: faceCount(mesh), seconds }, lines: [context.describe(options.out, mesh)] };
    },
  };
}
