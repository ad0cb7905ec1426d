import { readFile } from 'node:fs/promises';
import { faceCount, InvalidInputError, meshFormatOf, meshFormatNames, MESH_FORMATS, pointCount, unwrap as unwrapMesh, UNWRAP_DEFAULTS, uvFigures } from '@estampe/core'; // prettier-ignore
import { layoutImages, MOST_LAYOUT_SIDE } from '@estampe/delivery';
import { writeMesh } from '@estampe/geometry';
import { writeOutput } from '@estampe/node';
import * as z from 'zod';
import { readArgs } from '../args';
import type { Command } from '../command';
import { stopwatch } from '../context';
import { tilePath } from '../tile-path';

/** `head=2,strap=0.5`: texels a length, by group. */
const weightList = z.string().transform((text, context) => {
  const found: Record<string, number> = {};
  for (const part of text.split(',')) {
    const at = part.lastIndexOf('=');
    const weight = Number(part.slice(at + 1));
    if (at < 1 || part.length === at + 1 || !Number.isFinite(weight))
      context.addIssue({ code: 'custom', message: `'${part}' is no GROUP=WEIGHT` });
    else found[part.slice(0, at)] = weight;
  }
  return found;
});

const SPEC = {
  name: 'unwrap',
  positionals: ['MESH'],
  options: z.object({
    out: z.string().min(1),
    seams: z.string().min(1).default('auto'),
    size: z.coerce.number().int().min(16).max(65536).default(UNWRAP_DEFAULTS.size),
    margin: z.coerce.number().min(0).default(UNWRAP_DEFAULTS.margin),
    tiles: z.coerce.number().int().min(1).max(100).default(UNWRAP_DEFAULTS.tiles),
    weights: weightList.default({}),
    layout: z
      .string()
      .regex(/\.png$/i, 'name a picture that ends in .png')
      .optional(),
  }),
};

/** Edges of a file, each as the two points at its ends, counted from 0. */
const seamFile = z.strictObject({ edges: z.array(z.tuple([z.int().min(0), z.int().min(0)])) });

/** @throws InvalidInputError BAD_OPTION */
async function seamsOf(path: string): Promise<Uint32Array> {
  let text: unknown;
  try {
    text = JSON.parse(await readFile(path, 'utf8'));
  } catch (error) {
    throw new InvalidInputError('BAD_OPTION', `unwrap: --seams ${path} cannot be read (${error instanceof Error ? error.message : String(error)}); name groups, auto or a JSON file.`, { option: 'seams' }); // prettier-ignore
  }
  const parsed = seamFile.safeParse(text);
  if (!parsed.success)
    throw new InvalidInputError('BAD_OPTION', `unwrap: ${path} does not hold { "edges": [[point, point], ...] } with points counted from 0.`, { option: 'seams' }); // prettier-ignore
  return Uint32Array.from(parsed.data.edges.flat());
}

/** New UVs for a light mesh; everything else of it stays as it is. */
export function unwrap(argv: readonly string[]): Command {
  const { positionals, options } = readArgs(SPEC, argv);
  const format = meshFormatOf(options.out);
  if (format === null || !MESH_FORMATS[format].written)
    throw new InvalidInputError(
      'BAD_OPTION',
      `unwrap: ${options.out} does not end like a format that is written (${meshFormatNames()}); name it so.`,
      { option: 'out' },
    );
  const { seams, size, margin, tiles, weights, layout } = options;
  if (layout !== undefined) tilePath(layout, 1001, tiles);
  return {
    common: options,
    async run(context) {
      const own = seams !== 'auto' && seams !== 'groups';
      await context.claim({
        inputs: [positionals[0], ...(own ? [seams] : [])],
        outputs: [options.out, ...(layout === undefined ? [] : [layout])],
      });
      const lap = stopwatch();
      const { mesh: given, scene } = await context.readMeshFile(positionals[0]);
      const read = lap();
      const asked = own ? await seamsOf(seams) : seams;
      const { mesh, addedSeams } = unwrapMesh(given, { seams: asked, size, margin, tiles, weights }, context.control);
      const took = lap();
      if (addedSeams > 0)
        context.warnings.push(
          `${addedSeams} edges were cut beside the seams asked for: closed parts, or parts that would cover themselves.`,
        );
      await context.pause();
      // all is made before anything is written
      const images = layout === undefined ? [] : await layoutImages(mesh, Math.min(size, MOST_LAYOUT_SIDE));
      const drawn = lap();
      const { bytes, lost } = await writeMesh(mesh, options.out, { control: context.control, scene });
      if (lost !== null) context.warnings.push(`${options.out}: ${lost}`);
      await writeOutput(options.out, bytes);
      if (layout !== undefined) for (const { tile, png } of images) await writeOutput(tilePath(layout, tile, images.length), png);
      const figures = uvFigures(mesh, size);
      const percent = (share: number): string => `${(100 * share).toFixed(1)} %`;
      return {
        report: {
          points: pointCount(mesh), faces: faceCount(mesh), ...figures, addedSeams, size, margin,
          seconds: { read, unwrap: took, ...(layout === undefined ? {} : { layout: drawn }), write: lap() },
        },
        lines: [
          context.describe(options.out, mesh),
          `${figures.islands} ${figures.islands === 1 ? 'island' : 'islands'}, ${percent(figures.use)} of ${figures.tiles.length === 1 ? 'the tile' : `${figures.tiles.length} tiles`} used`,
          `stretch ${figures.stretch.rms.toFixed(3)} (95 % below ${figures.stretch.p95.toFixed(3)}), seams ${Number(figures.seamLength.toPrecision(4))} long` +
            (figures.smallestGap === null ? '' : `, smallest gap ${figures.smallestGap.toFixed(1)} texels at ${size}`),
        ],
      }; // prettier-ignore
    },
  };
}
