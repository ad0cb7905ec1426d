import type { PolyMesh } from '../mesh/poly-mesh';
import { faceStretch } from './stretch';

/** How the UVs of each face look beside the whole, for colours. */
export interface UvLayers {
  /** F: how many times as long as wide a texel is on the surface, as its logarithm to base 2; Infinity without UV area. */
  readonly stretch: Float32Array;
  /** F: texels for a length of the surface over the mean of all faces, as its logarithm to base 2: 1 for twice as many; -Infinity for none. */
  readonly density: Float32Array;
}

/** @throws InvalidInputError NO_UVS */
export function uvLayers(mesh: PolyMesh): UvLayers {
  const { surface, uv, ratio } = faceStretch(mesh);
  let areas = 0;
  let uvAreas = 0;
  for (let f = 0; f < surface.length; f++) {
    areas += surface[f];
    uvAreas += Math.abs(uv[f]);
  }
  return {
    stretch: Float32Array.from(ratio, Math.log2),
    density: Float32Array.from(uv, (area, f) => (surface[f] > 0 ? Math.log2((Math.abs(area) / surface[f]) * (areas / uvAreas)) / 2 : 0)),
  };
}
