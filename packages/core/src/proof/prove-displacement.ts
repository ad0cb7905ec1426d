import { PLAIN_ORDER } from '../encode/axis-order';
import { pointsAtLevel, stackLevel } from '../extract/stack-match';
import { FRAME_RULE } from '../frames/derivative-frames';
import { diagonalOf } from '../mesh/bounds';
import { faceNormal } from '../mesh/normals';
import { normalsBeside } from '../mesh/normals-beside';
import { withOriginOf } from '../mesh/local-origin';
import type { Faces, PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, polyMesh } from '../mesh/poly-mesh';
import type { TileRasters } from '../raster/raster-tiles';
import type { TextureFilter } from '../raster/sample';
import { InvalidInputError } from '../runtime/errors';
import { checkRange, resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { inlineThreads, seenByAll, untold } from '../runtime/threads';
import type { Base } from '../subdivision/base-surface';
import { baseSurfaceAt } from '../subdivision/base-surface';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { SURFACE_DEFAULTS } from '../mesh/surface-rules';
import { TreeLender } from '../spatial/tree-lender';
import type { ComparedSurface, TwoWayDistance } from './compare';
import { comparedSurface, distancesTo, NO_NORMALS, placesBeside, roughly, twoWay, twoWayBeside, unsigned } from './compare';
import type { CrackedMesh } from './cracked-mesh';
import { seamGap } from './cracked-mesh';
import type { DisplacedBase, DisplacementConvention } from './displace';
import { crackBase, displace } from './displace';
import { facingBeside } from './facing';
import { FOLD_ALLOWED, MISSED_ALLOWED } from './allowed';
import type { PlaceErrors, WorstPlace } from './worst-places';
import { WORST_APART, WORST_PLACES, worstPlaces } from './worst-places';
import { hasAxes } from '../raster/map-kinds';

export interface ProofOptions extends DisplacementConvention {
  readonly subdivisions: number;
  readonly base: Base;
  readonly surface: SurfaceOptions;
  readonly filter: TextureFilter;
  /** Scene units; null gives no verdict. */
  readonly tolerance: number | null;
  /** From the map's record; null where unknown. */
  readonly missedShare: number | null;
  readonly clippedShare: number | null;
}

export const PROOF_DEFAULTS: ProofOptions = {
  subdivisions: 4,
  base: 'limit',
  surface: SURFACE_DEFAULTS,
  filter: 'bilinear',
  tolerance: null,
  kind: 'scalar',
  midpoint: 0,
  scale: 1,
  channel: 0,
  axes: PLAIN_ORDER,
  frame: 'derivative',
  frameLevel: null,
  frameRule: FRAME_RULE,
  missedShare: null,
  clippedShare: null,
};

/** Lengths in scene units, shares 0..1, angles in degrees. */
export interface ProofReport {
  readonly diagonal: number;
  readonly subdivisions: number;
  readonly distance: TwoWayDistance;
  readonly undisplaced: TwoWayDistance;
  readonly unencoded: TwoWayDistance | null;
  readonly reachedShare: number | null;
  readonly seamGap: { readonly rms: number; readonly max: number };
  readonly normalAngle: { readonly mean: number; readonly p95: number };
  readonly missedShare: number | null;
  readonly clippedShare: number | null;
  readonly foldShare: number;
  readonly tolerance: number | null;
  readonly passed: boolean | null;
}

export interface DisplacementProof {
  readonly report: ProofReport;
  /** The displaced light mesh, cracked at its seams. */
  readonly mesh: PolyMesh;
  /** Signed distance to the sculpt of each of its points, scene units. */
  readonly errors: Float32Array;
  readonly worst: readonly WorstPlace[];
}

/** Displaces the light mesh by a scalar or vector map as a renderer would and measures it against the sculpt.
 *  @param fields the unencoded field by tile, for the baseline that shows what encoding costs
 *  @throws InvalidInputError NO_UVS, NO_TILE when a tile in use has no map, BAD_OPTION; CancelledError */
export async function proveDisplacement(
  given: { readonly low: PolyMesh; readonly sculpt: PolyMesh; readonly maps: TileRasters; readonly fields?: TileRasters },
  options: Partial<ProofOptions> = {},
  threads: Threads = inlineThreads,
  control?: RunControl,
): Promise<DisplacementProof> {
  const o = resolveOptions('proof', PROOF_DEFAULTS, options);
  const input = { ...given, sculpt: withOriginOf(given.sculpt, given.low) };
  checkRange('subdivisions', o.subdivisions, 0, 10, true);
  const diagonal = diagonalOf(input.sculpt.positions);
  const trees = new TreeLender(threads);
  const { sculpt, bare, faces, proofPlaces, exactPlaces, shading, seams, closed } = await preparedSurfaces(
    input,
    o,
    diagonal,
    trees,
    threads,
    control,
  );
  const asked = untold(
    Promise.all([proofPlaces, exactPlaces]).then(([{ samples }, exact]) => [
      { points: samples.points, normalsFrom: samples.pointCount },
      bare.places,
      ...(exact ? [unsigned(exact.samples)] : []),
    ]),
  );
  // one tree at a time: what is measured against the sculpt all at once, then the sculpt against each
  const [toSculpt, bareToSculpt, ...exactToSculpt] = await distancesTo(sculpt, asked, trees, threads, subProgress(control, 0.2, 0.6));
  const proof = { ...(await proofPlaces), normals: await shading };
  const exact = await exactPlaces;
  const facing = facingBeside({ proof, faceOffsets: faces.faceOffsets, toSculpt: toSculpt.normals }, threads, control);
  const [{ distances: toProof }] = await distancesTo(
    proof,
    [unsigned(sculpt.samples)],
    trees,
    threads,
    subProgress(control, 0.6, exact ? 0.8 : 1),
  );
  const { weights: sculptWeights } = sculpt.samples;
  const both = { toSculpt: toSculpt.distances, proofWeights: proof.samples.weights, toProof, sculptWeights };
  const distances = twoWayBeside(both, threads, control);
  const undisplaced = twoWay({
    toSculpt: bareToSculpt.distances,
    proofWeights: bare.places.weights,
    toProof: bare.fromSculpt,
    sculptWeights: bare.sculptWeights,
  });
  let unencoded: TwoWayDistance | null = null;
  if (exact) {
    const [{ distances }] = await distancesTo(exact, [unsigned(sculpt.samples)], trees, threads, subProgress(control, 0.8, 1));
    unencoded = twoWay({ toSculpt: exactToSculpt[0].distances, proofWeights: exact.samples.weights, toProof: distances, sculptWeights });
  }
  control?.onProgress?.(1, 'done');

  const tolerance = o.tolerance;
  const reachedShare = tolerance === null ? null : shareWithin(toProof, sculpt, tolerance);
  // a vector map takes each place to its own place of the sculpt; under an overhang the nearest point may be another layer's
  const stack = closed ? stackLevel(input.low, input.sculpt, control) : null;
  const worst = worstPlaces(
    [placeErrors('proof', proof, toSculpt.distances), placeErrors('sculpt', sculpt, toProof)],
    WORST_PLACES,
    WORST_APART * diagonal,
  );
  const distance = await distances;
  const mesh = polyMesh({ ...faces, positions: proof.positions, origin: input.low.origin });
  const { normalAngle, foldShare: foldedNearest } = await facing;
  const foldShare =
    stack && closed ? foldedAgainst(mesh, { ...closed, positions: pointsAtLevel(stack, closed.points, o.subdivisions) }) : foldedNearest;
  return {
    mesh,
    worst,
    errors: toSculpt.distances.slice(0, proof.samples.pointCount),
    report: {
      diagonal,
      subdivisions: o.subdivisions,
      distance,
      undisplaced,
      unencoded,
      reachedShare,
      seamGap: seams,
      normalAngle,
      missedShare: o.missedShare,
      clippedShare: o.clippedShare,
      foldShare,
      tolerance,
      passed: tolerance === null ? null : distance.p99 <= tolerance && (o.missedShare ?? 0) <= MISSED_ALLOWED && foldShare <= FOLD_ALLOWED,
    },
  };
}

/** The sculpt ready to be compared with, the light mesh displaced, and what is known of it bare. What it was displaced from is let go: 70 MB at
 *  1.6 million faces.
 *  @throws as `proveDisplacement` does */
async function preparedSurfaces(
  input: Parameters<typeof proveDisplacement>[0],
  o: ProofOptions,
  diagonal: number,
  trees: TreeLender,
  threads: Threads,
  control?: RunControl,
) {
  const { allocate } = threads;
  const normals = normalsBeside(input.sculpt, threads, control);
  const base = baseSurfaceAt(input.low, o.base, o.subdivisions, o.surface, subProgress(control, 0, 0.1));
  // not sooner: while the base is refined memory is needed most
  const places = placesBeside(input.sculpt, false, threads, control);
  const cracked = crackBase(input.low, base, o.subdivisions, allocate);
  throwIfAborted(control);
  control?.onProgress?.(0.1, 'preparing');
  const bare = await roughlyFrom(places, base.mesh, trees, threads, subProgress(control, 0.1, 0.2));
  const sculpt = { ...(await places), normals: seenByAll(await normals, allocate) };

  const on = { low: input.low, rule: o.base, surface: o.surface, base, cracked };
  // all threads see it and its faces, and need no copies
  const displaced = await displace(on, input.maps, o.filter, o, { allocate });
  requireNear(displaced, on, diagonal);
  const faces = { faceOffsets: seenByAll(base.mesh.faceOffsets, allocate), faceVerts: cracked.faceVerts };
  const proofPlaces = placesBeside({ positions: displaced, ...faces }, true, threads, control);
  const exact = input.fields ? await displace(on, input.fields, o.filter, o, { decoded: true, allocate }) : null;
  const exactPlaces = exact ? placesBeside({ positions: exact, ...faces }, false, threads, control) : null;
  const closed = { ...faces, faceVerts: seenByAll(base.mesh.faceVerts, allocate), points: pointCount(base.mesh) };
  const shading = smoothNormals(displaced, cracked, closed, threads, control);
  return {
    sculpt,
    bare,
    faces,
    proofPlaces,
    exactPlaces,
    shading,
    seams: seamGap(cracked, displaced),
    closed: hasAxes(o.kind) ? closed : null,
  };
}

/** The first half of a rough two-way distance: a part of the sculpt's places to a surface, and a part of the surface's own, to be asked about
 *  the sculpt when its tree is there. The surface is let go. */
async function roughlyFrom(sculpt: Promise<ComparedSurface>, bare: PolyMesh, trees: TreeLender, threads: Threads, control: RunControl) {
  const surface = comparedSurface(bare, threads, NO_NORMALS);
  const asked = untold(sculpt.then(({ samples }) => [roughly(samples, threads)]));
  const [{ distances }] = await distancesTo(surface, asked, trees, threads, control);
  const [{ weights }] = await asked;
  return { fromSculpt: distances, sculptWeights: weights, places: roughly(surface.samples, threads) };
}

/** A map may move the surface by so many diagonals of the sculpt; beyond, its numbers are wrong, and every search would look at everything. */
const FARTHEST = 100;

/** @throws InvalidInputError BAD_NUMBER for a map that takes the surface out of sight */
function requireNear(displaced: Float32Array, { base, cracked }: DisplacedBase, diagonal: number): void {
  const { positions } = base.mesh;
  let farthest = 0;
  for (let i = 0; i < cracked.points.length; i++)
    for (let k = 0; k < 3; k++) {
      const move = Math.abs(displaced[3 * i + k] - positions[3 * cracked.points[i] + k]);
      if (!(move <= farthest)) farthest = move;
    }
  if (!(farthest <= FARTHEST * diagonal))
    throw new InvalidInputError(
      'BAD_NUMBER',
      `the map moves the surface by up to ${farthest.toPrecision(3)}, but the sculpt's diagonal is ${diagonal.toPrecision(3)}; check midpoint, scale and unit.`,
    );
}

const placeErrors = (on: WorstPlace['on'], { samples, normals }: ComparedSurface, errors: Float32Array): PlaceErrors => ({
  on,
  positions: samples.points,
  normals,
  errors,
  count: samples.pointCount,
});

/** Shading normals of the displaced copies, on another thread: those of the closed mesh (copies averaged), so that a seam does not count as a bend.
 *  @returns in memory that all threads see @throws CancelledError */
function smoothNormals(
  displaced: Float32Array,
  { points }: CrackedMesh,
  closed: Omit<Faces, 'positions'> & { readonly points: number },
  threads: Threads,
  control?: RunControl,
): Promise<Float32Array> {
  const counts = new Uint32Array(closed.points);
  for (let i = 0; i < points.length; i++) counts[points[i]]++;
  const positions = new Float32Array(threads.allocate(12 * closed.points));
  for (let i = 0; i < points.length; i++)
    for (let k = 0; k < 3; k++) positions[3 * points[i] + k] += displaced[3 * i + k] / counts[points[i]];
  const ofCopies = (normals: Float32Array): Float32Array => {
    const out = new Float32Array(threads.allocate(12 * points.length));
    for (let i = 0; i < points.length; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = normals[3 * points[i] + k];
    return out;
  };
  return untold(normalsBeside({ ...closed, positions }, threads, control).then(ofCopies));
}

/** Area of the sculpt nearer to the proof than `tolerance`, as a share. */
function shareWithin(distances: Float32Array, { samples: { weights } }: ComparedSurface, tolerance: number): number {
  let near = 0;
  let all = 0;
  for (let i = 0; i < distances.length; i++) {
    all += weights[i];
    if (distances[i] <= tolerance) near += weights[i];
  }
  return all === 0 ? 0 : near / all;
}

/** Area of displaced faces that oppose the same face of another mesh, as a share. */
function foldedAgainst(mesh: PolyMesh, same: Faces): number {
  let folded = 0;
  let all = 0;
  for (let f = 0; f < faceCount(mesh); f++) {
    const [x, y, z] = faceNormal(mesh, f);
    const [sx, sy, sz] = faceNormal(same, f);
    const area = Math.hypot(x, y, z);
    all += area;
    if (x * sx + y * sy + z * sz < 0) folded += area;
  }
  return all === 0 ? 0 : folded / all;
}
