import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount, NO_INDEX, pointCount } from '../mesh/poly-mesh';
import type { Connectivity, EdgeTable } from '../mesh/topology';
import { buildEdges } from '../mesh/topology';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { refineLinear, refineSmooth, splitEdges, splitFaces } from './catmull-clark';
import { geometryKinds, SURFACE_DEFAULTS, uvKinds } from './rules';
import type { SurfaceOptions } from './rules';

/** More corners than this would not fit the 32 bit tables or this machine's memory. */
export const MAX_REFINED_FACES = 80_000_000;

/** One level on the way up: its mesh, with the edges that the next level needs; they are found when they are asked for, which for the last
 *  level is often never. */
export interface RefinedLevel {
  readonly mesh: PolyMesh;
  readonly edges: EdgeTable;
  /** Null where there are no complete UVs; the same object as `edges` where UVs have no seam. */
  readonly uvEdges: EdgeTable | null;
  readonly surface: SurfaceOptions;
}

export const connectivityOf = (mesh: PolyMesh): Connectivity => ({
  faceOffsets: mesh.faceOffsets,
  faceVerts: mesh.faceVerts,
  vertCount: pointCount(mesh),
});

function uvConnectivityOf(mesh: PolyMesh): Connectivity | null {
  if (mesh.uvs === null || mesh.faceUvs === null || mesh.faceUvs.length === 0 || mesh.faceUvs.includes(NO_INDEX)) return null;
  return { faceOffsets: mesh.faceOffsets, faceVerts: mesh.faceUvs, vertCount: mesh.uvs.length / 2 };
}

/** Level 0, ready to be refined. The mesh is kept, not copied. */
export function levelZero(mesh: PolyMesh, options: Partial<SurfaceOptions> = {}): RefinedLevel {
  const surface = resolveOptions('refine', SURFACE_DEFAULTS, options);
  const uv = uvConnectivityOf(mesh);
  return { mesh, edges: buildEdges(connectivityOf(mesh)), uvEdges: uv === null ? null : buildEdges(uv), surface };
}

/** The next level. Face-varying UVs are refined as a mesh of their own, by the UV rule; colours like points; normals are dropped.
 *  @param shape `linear` only splits faces: points and UVs stay on the polygons. */
export function refineOnce({ mesh, edges, uvEdges, surface }: RefinedLevel, shape: 'smooth' | 'linear' = 'smooth'): RefinedLevel {
  const geometry = connectivityOf(mesh);
  const split = splitFaces(geometry, edges);
  const kinds = shape === 'linear' ? null : geometryKinds(geometry, edges, surface.boundary);
  const refinePoints = (values: Float32Array): Float32Array =>
    kinds === null ? refineLinear(values, 3, geometry, edges) : refineSmooth(values, 3, geometry, edges, kinds);
  const uv = uvConnectivityOf(mesh);
  let uvs: Float32Array | null = null;
  let faceUvs: Uint32Array | null = null;
  let nextUvEdges: () => EdgeTable | null = () => null;
  if (uv !== null && uvEdges !== null && mesh.uvs !== null) {
    faceUvs = splitFaces(uv, uvEdges).faceVerts;
    nextUvEdges = once(() => splitEdges(uv, uvEdges));
    uvs =
      surface.uv === 'linear' || shape === 'linear'
        ? refineLinear(mesh.uvs, 2, uv, uvEdges)
        : refineSmooth(
            mesh.uvs,
            2,
            uv,
            uvEdges,
            uvKinds(uv, uvEdges, surface.uv, surface.boundary === 'edge-and-corner' ? geometry.faceVerts : null),
          );
  }
  const faceSections = new Uint16Array(cornerCount(mesh));
  for (let f = 0; f < faceCount(mesh); f++) faceSections.fill(mesh.faceSections[f], mesh.faceOffsets[f], mesh.faceOffsets[f + 1]);
  const nextEdges = once(() => splitEdges(geometry, edges));
  return {
    mesh: {
      positions: refinePoints(mesh.positions),
      faceOffsets: split.faceOffsets,
      faceVerts: split.faceVerts,
      uvs,
      faceUvs,
      normals: null,
      faceNormals: null,
      colors: mesh.colors === null ? null : refinePoints(mesh.colors),
      sections: mesh.sections,
      faceSections,
    },
    get edges() {
      return nextEdges();
    },
    get uvEdges() {
      return nextUvEdges();
    },
    surface,
  };
}

function once<T extends object>(make: () => T): () => T {
  let made: T | null = null;
  return () => (made ??= make());
}

/** Faces after `levels` refinements, without refining. */
export const refinedFaceCount = (mesh: PolyMesh, levels: number): number =>
  levels === 0 ? faceCount(mesh) : cornerCount(mesh) * 4 ** (levels - 1);

/** Refines `levels` times. @throws InvalidInputError TOO_LARGE before any work; CancelledError between levels. */
export function refineLevels(mesh: PolyMesh, levels: number, options: Partial<SurfaceOptions> = {}, control?: RunControl): RefinedLevel {
  if (refinedFaceCount(mesh, levels) > MAX_REFINED_FACES)
    throw new InvalidInputError(
      'TOO_LARGE',
      `${levels} levels would make ${refinedFaceCount(mesh, levels)} faces; at most ${MAX_REFINED_FACES} fit, so ask for fewer levels.`,
    );
  let level = levelZero(mesh, options);
  for (let k = 0; k < levels; k++) {
    throwIfAborted(control);
    control?.onProgress?.((4 ** k - 1) / 4 ** levels, 'refining');
    level = refineOnce(level);
  }
  return level;
}
