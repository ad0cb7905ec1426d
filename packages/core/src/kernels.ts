import { ballMeans } from './extract/mean-curvature';
import { measureBand } from './extract/measure-band';
import { measureSeams } from './extract/measure-seams';
import { thinPoints } from './extract/reach';
import { prepareSide } from './extract/sides';
import { exrBlock } from './formats/exr-write';
import { pointNormals } from './mesh/normals-beside';
import { comparedPlaces, twoWayFigures } from './proof/compare';
import { facingFigures } from './proof/facing';
import { countTexels } from './raster/field-counts';
import { padPart } from './raster/padding';
import type { Kernel } from './runtime/threads';
import { closestDistances } from './spatial/closest-distances';
import { gatherLeaves, growTree } from './spatial/tree-by-threads';
import { projectPoints } from './transfer/project-points';

/** Every kernel by name, for the worker that runs them on another thread. */
export const KERNELS: ReadonlyMap<string, Kernel<never, never, unknown>> = new Map(
  (
    [
      measureBand,
      measureSeams,
      closestDistances,
      projectPoints,
      prepareSide,
      thinPoints,
      growTree,
      gatherLeaves,
      ballMeans,
      pointNormals,
      padPart,
      countTexels,
      exrBlock,
      comparedPlaces,
      twoWayFigures,
      facingFigures,
    ] as Kernel<never, never, unknown>[]
  ).map((k) => [k.name, k]),
);
