import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount, NO_INDEX } from '../mesh/poly-mesh';
import type { Connectivity, EdgeTable } from '../mesh/topology';
import { buildEdges, connectivityOf } from '../mesh/topology';
import { pointsOfSeveralFans } from '../mesh/fans';
import { NO_CORNER } from '../mesh/across-edges';
import { acrossSplit } from '../mesh/linked-corners';
import { isAllQuads } from '../mesh/triangulate';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { SURFACE_DEFAULTS } from '../mesh/surface-rules';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { refineLinear, refineSmooth, splitEdges, splitFaces } from './catmull-clark';
import type { RuledMesh, VertexRules } from './rules';
import { geometryRules, kindsBelow, uvRules } from './rules';
import type { Sharpness } from './sharpness';
import { creasesBelow, sharpnessOf } from './sharpness';

/** More corners than this would not fit the 32 bit tables or this machine's memory. */
export const MAX_REFINED_FACES = 80_000_000;

/** One level on the way up: its mesh, with the edges that the next level needs; they are found when they are asked for, which for the last
 *  level is often never. */
export interface RefinedLevel {
  readonly mesh: PolyMesh;
  readonly edges: EdgeTable;
  /** Null where there are no complete UVs; the same object as `edges` where UVs have no seam. */
  readonly uvEdges: EdgeTable | null;
  /** Points, and UVs, of several fans. New ones never are, and old ones keep their number, so they are those of level 0. */
  readonly folded: () => { readonly points: Uint32Array; readonly uvs: Uint32Array };
  /** Of the mesh's creases; null where it has none. */
  readonly sharpness: Sharpness | null;
  /** How refinement places its points. */
  readonly rules: VertexRules;
  /** The corner across each edge, NO_CORNER where the edge is a break. */
  readonly across: Uint32Array;
  readonly surface: SurfaceOptions;
}

export function uvConnectivityOf(mesh: PolyMesh): Connectivity | null {
  if (mesh.uvs === null || mesh.faceUvs === null || mesh.faceUvs.length === 0 || mesh.faceUvs.includes(NO_INDEX)) return null;
  return { faceOffsets: mesh.faceOffsets, faceVerts: mesh.faceUvs, vertCount: mesh.uvs.length / 2 };
}

/** Level 0, ready to be refined. The mesh is kept, not copied. */
export function levelZero(mesh: PolyMesh, options: Partial<SurfaceOptions> = {}): RefinedLevel {
  const surface = resolveOptions('refine', SURFACE_DEFAULTS, options);
  const geometry = connectivityOf(mesh);
  const uv = uvConnectivityOf(mesh);
  const plainEdges = buildEdges(geometry);
  const plainUvEdges = uv === null ? null : buildEdges(uv);
  const sharpness = mesh.creases === null ? null : sharpnessOf(mesh.creases, plainEdges, geometry.vertCount);
  const edges = withSharpness(plainEdges, sharpness);
  const uvEdges = plainUvEdges && withSharpness(plainUvEdges, sharpness, plainEdges);
  const folded = once(() => ({
    points: pointsOfSeveralFans(geometry, edges),
    uvs: uv === null || uvEdges === null ? new Uint32Array(0) : pointsOfSeveralFans(uv, uvEdges),
  }));
  const rules = once(() => geometryRules(ruledPoints({ mesh, edges, folded, sharpness }), surface.boundary));
  const across = once(() => acrossByEdges(edges));
  return {
    mesh,
    edges,
    uvEdges,
    folded,
    sharpness,
    get rules() {
      return rules();
    },
    get across() {
      return across();
    },
    surface,
  };
}

function acrossByEdges({ cornerEdges, edgeFaceCounts }: EdgeTable): Uint32Array {
  const across = new Uint32Array(cornerEdges.length).fill(NO_CORNER);
  const first = new Uint32Array(edgeFaceCounts.length).fill(NO_CORNER);
  for (let c = 0; c < cornerEdges.length; c++) {
    const e = cornerEdges[c];
    if (edgeFaceCounts[e] !== 2) continue;
    if (first[e] === NO_CORNER) first[e] = c;
    else {
      across[c] = first[e];
      across[first[e]] = c;
    }
  }
  return across;
}

/** Edges that know how sharp they are. @param points the edges that sharpness is of, where these are those of UVs over the same corners */
function withSharpness(edges: EdgeTable, sharpness: Sharpness | null, points = edges): EdgeTable {
  if (sharpness === null) return edges;
  const own = new Float32Array(edges.edgeFaceCounts.length);
  for (let c = 0; c < edges.cornerEdges.length; c++) own[edges.cornerEdges[c]] = sharpness.edges[points.cornerEdges[c]];
  return { ...edges, sharpness: own };
}

/** The points of a level as the rules look at them. */
const ruledPoints = ({ mesh, edges, folded, sharpness }: Pick<RefinedLevel, 'mesh' | 'edges' | 'folded' | 'sharpness'>): RuledMesh => ({
  connectivity: connectivityOf(mesh),
  edges,
  folded: folded().points,
  pointSharpness: sharpness?.points ?? null,
});

/** How a level's UVs are placed; null where they are linear or there are none. */
export function uvRulesOf(level: RefinedLevel): VertexRules | null {
  const { folded, surface } = level;
  // before anything is asked for that would have to be found
  if (surface.uv === 'linear') return null;
  const { uvEdges } = level;
  const connectivity = uvConnectivityOf(level.mesh);
  if (connectivity === null || uvEdges === null) return null;
  const points = ruledPoints(level);
  const uvs = { connectivity, edges: uvEdges, folded: folded().uvs, pointSharpness: uvSharpness(level, connectivity) };
  return uvRules(uvs, points, surface.uv, surface.boundary);
}

/** UVs at a point that is held are held. */
function uvSharpness({ mesh, sharpness }: RefinedLevel, uv: Connectivity): Float32Array | null {
  if (sharpness === null) return null;
  const out = new Float32Array(uv.vertCount);
  for (let c = 0; c < uv.faceVerts.length; c++) out[uv.faceVerts[c]] = sharpness.points[mesh.faceVerts[c]];
  return out;
}

/** The next level. Face-varying UVs are refined as a mesh of their own, by the UV rule; colours like points; normals are dropped.
 *  @param shape `linear` only splits faces: points and UVs stay on the polygons. */
export function refineOnce(level: RefinedLevel, shape: 'smooth' | 'linear' = 'smooth'): RefinedLevel {
  const { mesh, edges, uvEdges, folded, sharpness, surface } = level;
  const geometry = connectivityOf(mesh);
  const split = splitFaces(geometry, edges);
  const rules = shape === 'linear' ? null : level.rules;
  const refinePoints = (values: Float32Array): Float32Array =>
    rules === null ? refineLinear(values, 3, geometry, edges) : refineSmooth(values, 3, geometry, edges, rules);
  const creases = sharpness === null ? null : creasesBelow(sharpness, edges, geometry.vertCount);
  const bareEdges = once(() => splitEdges(geometry, edges));
  const nextSharpness = once(() => ({ found: creases === null ? null : sharpnessOf(creases, bareEdges(), split.vertCount) }));
  const nextEdges = once(() => withSharpness(bareEdges(), nextSharpness().found));
  const uv = uvConnectivityOf(mesh);
  let uvs: Float32Array | null = null;
  let faceUvs: Uint32Array | null = null;
  let nextUvEdges: () => EdgeTable | null = () => null;
  if (uv !== null && uvEdges !== null && mesh.uvs !== null) {
    faceUvs = splitFaces(uv, uvEdges).faceVerts;
    const bareUvEdges = once(() => splitEdges(uv, uvEdges));
    nextUvEdges = once(() => withSharpness(bareUvEdges(), nextSharpness().found, bareEdges()));
    const rulesOfUvs = shape === 'linear' ? null : uvRulesOf(level);
    uvs = rulesOfUvs === null ? refineLinear(mesh.uvs, 2, uv, uvEdges) : refineSmooth(mesh.uvs, 2, uv, uvEdges, rulesOfUvs);
  }
  const nextAcross = once(() => acrossSplit(level.across, isAllQuads(mesh) ? null : mesh.faceOffsets));
  const nextRules = once((): VertexRules =>
    // a level whose creases end with it still has their kinds, which the next one has not
    sharpness === null
      ? { kinds: kindsBelow(level.rules.kinds, edges, faceCount(mesh)), after: null }
      : geometryRules(ruledPoints(next), surface.boundary),
  );
  const faceSections = new Uint16Array(cornerCount(mesh));
  for (let f = 0, c = 0; f < faceCount(mesh); f++) for (; c < mesh.faceOffsets[f + 1]; c++) faceSections[c] = mesh.faceSections[f];
  const next: RefinedLevel = {
    mesh: {
      positions: refinePoints(mesh.positions),
      origin: mesh.origin,
      faceOffsets: split.faceOffsets,
      faceVerts: split.faceVerts,
      uvs,
      faceUvs,
      normals: null,
      faceNormals: null,
      colors: mesh.colors === null ? null : refinePoints(mesh.colors),
      sections: mesh.sections,
      faceSections,
      creases,
    },
    get edges() {
      return nextEdges();
    },
    get uvEdges() {
      return nextUvEdges();
    },
    get sharpness() {
      return nextSharpness().found;
    },
    get rules() {
      return nextRules();
    },
    get across() {
      return nextAcross();
    },
    folded,
    surface,
  };
  return next;
}

function once<T extends object>(make: () => T): () => T {
  let made: T | null = null;
  return () => (made ??= make());
}

/** Faces after `levels` refinements, without refining. */
export const refinedFaceCount = (mesh: PolyMesh, levels: number): number => facesAfter(faceCount(mesh), cornerCount(mesh), levels);

/** The same from counts alone. @param corners of all faces together */
export const facesAfter = (faces: number, corners: number, levels: number): number => (levels === 0 ? faces : corners * 4 ** (levels - 1));

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
