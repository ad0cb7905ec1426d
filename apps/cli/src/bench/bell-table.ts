import type { Depth, Field, Raster } from '@estampe/core';
import {
  defaultFit,
  encodeField,
  extractTile,
  fitRange,
  faceCount,
  INSIDE,
  isInteger,
  predictNoise,
  prepareSpan,
  proveScalar,
  readMap,
  writeMap,
} from '@estampe/core';
import { harbourBell } from '@estampe/demo';
import { nodeZlib, ThreadPool } from '@estampe/node';
import { UNKNOWN_RECORD } from '../commands/encode';

/** Prints the table of the README: the Harbour bell at two map sizes and all depths, proven at its top level's subdivisions. */
const levels = harbourBell(4);
const pool = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url));
const top = levels.length - 1;

const rows: string[] = [];
for (const size of [2048, 4096]) {
  const { fields, texelSizes } = await extractTile(prepareSpan(levels[0], levels[top], { width: size, height: size }, pool), 1001, pool);
  const field = fields.get('scalar') as Field;
  for (const depth of ['float', '16', '8'] as Depth[]) {
    const encoding = { depth, ...fitRange(field, depth, defaultFit(depth), null) };
    const map = encodeField(field, encoding, texelSizes);
    const record = { ...UNKNOWN_RECORD, depth, midpoint: encoding.midpoint, scale: encoding.scale };
    const file = await writeMap({ ...map, half: false }, record, isInteger(depth) ? 'tif' : 'exr', nodeZlib);
    const maps = new Map<number, Raster>([[1001, (await readMap(file, nodeZlib)).raster]]);
    const { report } = await proveScalar(
      { low: levels[0], sculpt: levels[top], maps, fields: new Map([[1001, field]]) },
      { subdivisions: top, midpoint: encoding.midpoint, scale: encoding.scale },
      pool,
    );
    const { distance, undisplaced, unencoded } = report;
    const added2 = distance.rms ** 2 - (unencoded?.rms ?? 0) ** 2;
    const inside = field.coverage.reduce((n, c) => n + (c === INSIDE ? 1 : 0), 0);
    const spacing = Math.sqrt(inside / faceCount(levels[top]));
    const predicted = isInteger(depth) ? predictNoise(field, map.figures.step, spacing).proof : 0;
    // noise far below the rest of the error cannot be told from it
    const visible = predicted > 0.05 * distance.rms;
    const share = (x: number): string => `${((100 * x) / undisplaced.rms).toFixed(3)} %`;
    rows.push(
      `| ${size / 1024}K ${depth} | ${share(distance.rms)} | ${share(unencoded?.rms ?? 0)} | ${map.figures.step.toExponential(2)} | ${predicted > 0 ? predicted.toExponential(2) : '–'} | ${
        visible
          ? `${Math.sqrt(Math.max(0, added2)).toExponential(2)} (${((100 * Math.sqrt(Math.max(0, added2))) / predicted - 100).toFixed(0)} %)`
          : 'below what can be seen'
      } |`,
    );
    process.stderr.write(`${rows[rows.length - 1]}\n`);
  }
}
process.stdout.write(
  `| map | two-way RMS, share of undisplaced | unencoded | step (mm) | rounding predicted (mm) | rounding measured (mm) |\n|---|---|---|---|---|---|\n${rows.join('\n')}\n`,
);
await pool.close();
