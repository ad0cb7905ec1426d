import type { Field } from '../raster/field';
import { MENDED } from '../raster/field';
import type { RunControl } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import type { MeasuredBand, TileJob } from './measure-band';
import { measureBand } from './measure-band';
import type { BandPieces } from './pieces';
import { findPatches, sheetsAmong } from './sheets';

/** Looks for sheets in a tile that was measured by rays, asks the sculpt there for the answer that joins the surroundings, and where there is
 *  one takes it for all maps: those texels become MENDED.
 *  @param job of the first measuring @param pieces that it found, band by band @param fields changed in place, in the order of its measures
 *  @returns what was mended, and the rays that it took
 *  @throws CancelledError */
export async function mendSheets(
  job: TileJob,
  pieces: readonly BandPieces[],
  fields: readonly Field[],
  threads: Threads,
  control?: RunControl,
): Promise<{ readonly sheets: { readonly patches: number; readonly texels: number }; readonly rays: number }> {
  const patches = findPatches(pieces, threads.allocate);
  if (patches === null) return { sheets: { patches: 0, texels: 0 }, rays: 0 };
  const { texels, offsets, wanted } = patches;
  const again = new Float32Array(texels.length);
  const answers = fields.map(({ channels }) => new Float32Array(channels * texels.length));
  const keep = ({ heights, maps }: MeasuredBand, band: number): void => {
    const first = band * job.bandRows * job.width;
    for (let k = offsets[band]; k < offsets[band + 1]; k++) {
      const i = texels[k] - first;
      again[k] = heights[i];
      for (let m = 0; m < maps.length; m++) {
        const { channels } = fields[m];
        for (let c = 0; c < channels; c++) answers[m][channels * k + c] = maps[m].values[channels * i + c];
      }
    }
  };
  const tasks = Array.from(pieces.keys()).filter((band) => offsets[band] < offsets[band + 1]);
  let rays = 0;
  await threads.run(
    measureBand,
    { ...job, keepSamples: job.measures.map(() => false), wanted },
    tasks,
    (result, task) => {
      keep(result, tasks[task]);
      rays += result.rays;
    },
    control,
  );
  const { sheets, takes } = sheetsAmong(patches, again);
  let taken = 0;
  for (let k = 0; k < takes.length; k++) {
    if (takes[k] === 0) continue;
    taken++;
    for (const [m, { channels, values, coverage }] of fields.entries()) {
      values.set(answers[m].subarray(channels * k, channels * (k + 1)), channels * texels[k]);
      coverage[texels[k]] = MENDED;
    }
  }
  return { sheets: { patches: sheets, texels: taken }, rays };
}
