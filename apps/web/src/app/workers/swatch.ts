import type { EncodingSettings } from '@estampe/contracts';
import type { Field, FieldSample } from '@estampe/core';
import { decodeStored, INSIDE, rowOfSample, stepAt, STRIP_ROWS, texelBlock } from '@estampe/core';
import type { Swatch } from './field-messages';

/** Texels a side of the part that is shown, and picture points a texel. */
const TEXELS = 80;
const FINENESS = 2;
/** The light stands this high over the surface: low enough that the eye would find a terrace. */
const ELEVATION_RAD = (7 * Math.PI) / 180;
/** Grey of a flat surface. */
const FLAT = 118;

/** The part of a field, or of a sample of it, where its coarsest encoding would show the most terraces, drawn in clay under raking light at each depth. Heights
 *  are read bilinearly, as a renderer does, and shaded at their true proportions.
 *  @param texelSizes of the field, on its grid of blocks
 *  @returns null when nothing is covered */
export function drawSwatch(
  field: Field,
  texelSizes: Float32Array,
  encodings: readonly EncodingSettings[],
  sample: FieldSample | null = null,
): Swatch | null {
  // the last row of a sample is none of the surface
  const at =
    sample === null
      ? roughest(field, encodings[0], field.height)
      : roughest({ ...field, height: field.height - 1 }, encodings[0], STRIP_ROWS);
  if (at === null) return null;
  const [x0, y0] = at;
  const side = Math.min(TEXELS, field.width, field.height);
  const middle = texelBlock(x0 + (side >> 1), y0 + (side >> 1), field.width, field.height);
  const texel = texelSizes[middle] > 0 ? texelSizes[middle] : (texelSizes.find((s) => s > 0) ?? 1);
  return {
    side: side * FINENESS,
    at: sample === null ? at : [x0, rowOfSample(sample, y0)],
    units: side * texel,
    pictures: encodings.map((e) => ({ depth: e.depth, grey: shade(heightsOf(field, x0, y0, side, e), side, texel) })),
  };
}

/** Corner of the part with the most texels that change by less than a step; null when nothing is covered.
 *  @param strip rows that lie together on the surface */
function roughest({ values, coverage, width: W, height: H }: Field, e: EncodingSettings, strip: number): readonly [number, number] | null {
  const side = Math.min(TEXELS, W, H);
  let best = -1;
  let at: readonly [number, number] | null = null;
  for (let y0 = 0; y0 + side <= H; y0 += side >> 1) {
    if ((y0 % strip) + side > strip) continue;
    for (let x0 = 0; x0 + side <= W; x0 += side >> 1) {
      let score = 0;
      for (let y = y0; y + 1 < y0 + side; y += 2)
        for (let x = x0; x + 1 < x0 + side; x += 2) {
          const i = y * W + x;
          if (coverage[i] !== INSIDE || coverage[i + 1] !== INSIDE || coverage[i + W] !== INSIDE) continue;
          const change = Math.hypot(values[i + 1] - values[i], values[i + W] - values[i]);
          // covered counts a little, so that a part full of surface wins over a corner of it
          score += 0.05;
          if (change > 0 && change < stepAt(e, values[i] / e.scale + e.midpoint)) score++;
        }
      if (score > best && score > 0) {
        best = score;
        at = [x0, y0];
      }
    }
  }
  return at;
}

function heightsOf({ values, coverage, width: W }: Field, x0: number, y0: number, side: number, e: EncodingSettings): Float32Array {
  const out = new Float32Array(side * side);
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const i = (y0 + y) * W + x0 + x;
      out[y * side + x] = coverage[i] === 0 ? 0 : decodeStored(e, values[i]);
    }
  return out;
}

function shade(z: Float32Array, side: number, texel: number): Uint8ClampedArray {
  const n = side * FINENESS;
  const out = new Uint8ClampedArray(n * n);
  const light = [-Math.SQRT1_2 * Math.cos(ELEVATION_RAD), Math.SQRT1_2 * Math.cos(ELEVATION_RAD), Math.sin(ELEVATION_RAD)];
  for (let py = 0; py < n; py++)
    for (let px = 0; px < n; px++) {
      const x = Math.min(side - 1.001, Math.max(0, (px + 0.5) / FINENESS - 0.5));
      const y = Math.min(side - 1.001, Math.max(0, (py + 0.5) / FINENESS - 0.5));
      const [i, j] = [Math.floor(x), Math.floor(y)];
      const [a, b] = [x - i, y - j];
      const k = j * side + i;
      // slope of the bilinear surface inside its cell; rows run down
      const dx = ((1 - b) * (z[k + 1] - z[k]) + b * (z[k + side + 1] - z[k + side])) / texel;
      const dy = -((1 - a) * (z[k + side] - z[k]) + a * (z[k + side + 1] - z[k + 1])) / texel;
      const lit = (-dx * light[0] - dy * light[1] + light[2]) / Math.hypot(dx, dy, 1);
      out[py * n + px] = (FLAT * Math.max(0, lit)) / light[2];
    }
  return out;
}
