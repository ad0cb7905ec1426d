import type { Depth, Field, PolyMesh, Raster } from '@estampe/core';
import {
  defaultFit,
  encodeField,
  encodeMap,
  fieldRecordOf,
  extractTile,
  faceCount,
  fitRange,
  INSIDE,
  isInteger,
  predictNoise,
  prepareSpan,
  proveDisplacement,
  readMap,
  writeMap,
} from '@estampe/core';
import { harbourBell, mooringBuoy } from '@estampe/demo';
import { nodeZlib, ThreadPool } from '@estampe/node';

/** Prints the table of the README: both demo assets at every depth, proven at their top level's subdivisions, and the error that was predicted
 *  before: rounding as `k step / sqrt(12)` on top of the unencoded field's. `x 8` is a range eight times as wide as it need be, where rounding
 *  is nearly all of the error. */
const pool = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url));
const rows: string[] = [];

interface Row {
  readonly name: string;
  readonly depth: Depth;
  readonly widened: number;
}
const ALL: readonly Row[] = [
  { name: 'float', depth: 'float', widened: 1 },
  { name: 'half', depth: 'half', widened: 1 },
  { name: '16', depth: '16', widened: 1 },
  { name: '8', depth: '8', widened: 1 },
  { name: '8, range x 8', depth: '8', widened: 8 },
];

async function measure(asset: string, levels: readonly PolyMesh[], size: number, wanted: readonly Row[]): Promise<void> {
  const top = levels.length - 1;
  const [low, sculpt] = [levels[0], levels[top]];
  const { fields, texelSizes } = await extractTile(prepareSpan(low, sculpt, { width: size, height: size }, pool), 1001, pool);
  const field = fields.get('scalar') as Field;
  const inside = field.coverage.reduce((n, c) => n + (c === INSIDE ? 1 : 0), 0);
  const spacing = Math.sqrt(inside / faceCount(sculpt));
  for (const { name, depth, widened } of wanted) {
    const fitted = fitRange(field, depth, defaultFit(depth), null);
    const encoding = { depth, midpoint: fitted.midpoint, scale: fitted.scale * widened };
    const map = encodeField(field, encoding, texelSizes);
    const { record } = encodeMap(field, fieldRecordOf({ kind: 'scalar' }), encoding, texelSizes);
    const file = await writeMap({ ...map, half: depth === 'half' }, record, isInteger(depth) ? 'tif' : 'exr', nodeZlib);
    const maps = new Map<number, Raster>([[1001, (await readMap(file, nodeZlib)).raster]]);
    const { report } = await proveDisplacement(
      { low, sculpt, maps, fields: new Map([[1001, field]]) },
      { subdivisions: top, midpoint: encoding.midpoint, scale: encoding.scale },
      pool,
    );
    const { distance, undisplaced } = report;
    const unencoded = report.unencoded?.rms ?? 0;
    // floats round relative to their value: their rounding is measured at the texels, not predicted from one step
    const noise = isInteger(depth) ? predictNoise(field, map.figures.step, spacing).proof : map.figures.roundingRms;
    const predicted = Math.hypot(unencoded, noise);
    const share = (x: number): string => `${((100 * x) / undisplaced.rms).toFixed(3)} %`;
    const off = (100 * (predicted - distance.rms)) / distance.rms;
    rows.push(
      `| ${asset}, ${size / 1024}K ${name} | ${map.figures.step.toExponential(2)} | ${share(unencoded)} | ${share(predicted)} | ${share(distance.rms)} | ${off.toFixed(1)} % |`,
    );
    process.stderr.write(`${rows[rows.length - 1]}\n`);
  }
}

await measure('bell', harbourBell(4), 2048, ALL);
await measure('bell', harbourBell(4), 4096, ALL.slice(2));
await measure('buoy', mooringBuoy(4), 2048, ALL);
process.stdout.write(
  `| map | step (mm) | unencoded | predicted | proven | off by |\n|---|---|---|---|---|---|\n${rows.join('\n')}\n\nTwo-way RMS as a share of the undisplaced mesh's.\n`,
);
await pool.close();
