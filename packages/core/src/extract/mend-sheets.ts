import type { Field } from '../raster/field';
import { MENDED } from '../raster/field';
import type { RunControl } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeF32 } from '../runtime/threads';
import type { TileJob } from './measure-band';
import { measureBand } from './measure-band';
import { findPatches, sheetsAmong } from './sheets';

/** Looks for sheets in a tile that was measured by rays, asks the sculpt there for the answer that joins the surroundings, and where there is
 *  one takes it for all maps: those texels become MENDED.
 *  @param job of the first measuring @param found its heights and texel sizes @param fields changed in place, in the order of its measures
 *  @returns what was mended, and the rays that it took
 *  @throws CancelledError */
export async function mendSheets(
  job: TileJob,
  found: { readonly heights: Float32Array; readonly texelSizes: Float32Array },
  fields: readonly Field[],
  threads: Threads,
  control?: RunControl,
): Promise<{ readonly sheets: { readonly patches: number; readonly texels: number }; readonly rays: number }> {
  const { width: W, height: H, bandRows } = job;
  const patches = findPatches({ width: W, height: H, ...found });
  if (patches === null) return { sheets: { patches: 0, texels: 0 }, rays: 0 };
  const bands = new Set<number>();
  for (let i = 0; i < patches.patchOf.length; i++) if (patches.patchOf[i] >= 0) bands.add(Math.floor(i / W / bandRows));
  const tasks = [...bands];
  const again = new Float32Array(W * H).fill(NaN);
  const answers = fields.map(({ channels }) => new Float32Array(channels * W * H));
  let rays = 0;
  await threads.run(
    measureBand,
    { ...job, keepSamples: job.measures.map(() => false), wanted: placeF32(patches.wanted, threads.allocate) },
    tasks,
    (result, task) => {
      const from = tasks[task] * bandRows * W;
      again.set(result.heights, from);
      for (const [i, { channels }] of fields.entries()) answers[i].set(result.maps[i].values, channels * from);
      rays += result.rays;
    },
    control,
  );
  const { sheets, takes } = sheetsAmong(patches, found.heights, again);
  let texels = 0;
  for (let i = 0; i < takes.length; i++) {
    if (takes[i] === 0) continue;
    texels++;
    for (const [k, { channels, values, coverage }] of fields.entries()) {
      values.set(answers[k].subarray(channels * i, channels * (i + 1)), channels * i);
      coverage[i] = MENDED;
    }
  }
  return { sheets: { patches: sheets, texels }, rays };
}
