import { faceGroups } from '../mesh/groups';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { checkRange, resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { subProgress } from '../runtime/progress';
import type { Cut } from './cut';
import { cutIntoIslands } from './cut-into-islands';
import type { FaceGraph } from './face-graph';
import { faceGraph } from './face-graph';
import { FINAL } from './flatten';
import type { IslandLimits, LaidFlat } from './lay-flat';
import { ASKED_FOR, laidIslands } from './lay-flat';
import type { PackOptions } from './pack';
import { packIslands } from './pack';
import { seamCost } from './seam-cost';
import type { Taken } from './taken';

export interface UnwrapOptions {
  /** Where islands part: at the borders of groups, by themselves, or along given edges (two points each). */
  readonly seams: 'groups' | 'auto' | Uint32Array;
  /** Side of the map, in texels, and the texels between islands at that size. */
  readonly size: number;
  readonly margin: number;
  /** Tiles from 1001 on, ten a row. */
  readonly tiles: number;
  /** Stretch that an island may have where seams are set by themselves. */
  readonly stretch: number;
  /** How many times as many texels a length, by group; 1 for groups that are not named. */
  readonly weights: Readonly<Record<string, number>>;
}
export const UNWRAP_DEFAULTS: UnwrapOptions = { seams: 'auto', size: 2048, margin: 8, tiles: 1, stretch: 1.12, weights: {} };
export const LEAST_WEIGHT = 0.05;
export const MOST_WEIGHT = 20;

/** More faces than a light mesh has; the time grows faster than their number. */
export const MOST_UNWRAPPED_FACES = 100_000;

export interface Unwrapped {
  readonly mesh: PolyMesh;
  /** Edges that were cut though nobody asked, since a part that is closed or would cover itself cannot lie flat; 0 with 'auto'. */
  readonly addedSeams: number;
}

/** Gives a mesh UVs: nearly flat pieces are joined as long as they lie flat well, their seams moved to where they are short and out of sight,
 *  each island laid flat and packed. Polygons stay whole, points and faces keep their order; UVs that were there are replaced.
 *  @throws InvalidInputError NO_FACES, TOO_LARGE, BAD_OPTION, BAD_TOPOLOGY @throws CancelledError */
export function unwrap(mesh: PolyMesh, options: Partial<UnwrapOptions> = {}, control?: RunControl): Unwrapped {
  requireGroups(mesh, options.weights);
  return unwrapBeside(mesh, options, null, control);
}

/** @throws InvalidInputError BAD_OPTION where a group that is weighed is not there */
export function requireGroups(mesh: PolyMesh, weights: UnwrapOptions['weights'] = {}): void {
  const names = new Set(faceGroups(mesh).names);
  const unknown = Object.keys(weights).find((group) => !names.has(group));
  if (unknown === undefined) return;
  const those = [...names].filter((name) => name !== '').join(', ');
  throw new InvalidInputError(
    'BAD_OPTION',
    `The mesh has no group '${unknown}' to weigh; ${those === '' ? 'it has none at all' : `its groups are ${those}`}.`,
    { option: 'weights' },
  );
}

/** The same beside what is there already. @param taken null where there is nothing */
export function unwrapBeside(mesh: PolyMesh, options: Partial<UnwrapOptions>, taken: Taken | null, control?: RunControl): Unwrapped {
  const o = resolveOptions('unwrap', UNWRAP_DEFAULTS, options);
  checkRange('size', o.size, 16, 65536, true);
  checkRange('margin', o.margin, 0, o.size / 8);
  checkRange('tiles', o.tiles, 1, 100, true);
  checkRange('stretch', o.stretch, 1.01, 10);
  for (const [group, weight] of Object.entries(o.weights)) checkRange(`the weight of group ${group}`, weight, LEAST_WEIGHT, MOST_WEIGHT);
  if (faceCount(mesh) === 0) throw new InvalidInputError('NO_FACES', 'The mesh has no faces; there is nothing to unwrap.');
  if (faceCount(mesh) > MOST_UNWRAPPED_FACES)
    throw new InvalidInputError(
      'TOO_LARGE',
      `The mesh has ${faceCount(mesh)} faces; unwrap a light mesh of at most ${MOST_UNWRAPPED_FACES}, and its levels have UVs too.`,
    );
  const graph = faceGraph(mesh);
  requireArea(graph);
  const kept = keptSeams(graph, o.seams);
  const cut: Cut = {
    graph,
    cost: seamCost(graph, subProgress(control, 0, 0.05)),
    seam: graph.passable.map((p, e) => (p === 1 && kept[e] === 0 ? 0 : 1)),
    kept,
    chartOf: new Uint32Array(faceCount(mesh)),
    faces: new Map(),
  };
  const auto = o.seams === 'auto';
  const packing: PackOptions = { size: o.size, margin: o.margin, tiles: o.tiles, taken };
  const limits: IslandLimits = auto ? { stretch: o.stretch, ratio: 4, fill: 0.4 } : ASKED_FOR;
  const asked = cut.seam.slice();
  cutIntoIslands(cut, limits, auto ? packing : null, subProgress(control, 0.05, 0.85));
  control?.onProgress?.(0.85, 'laying flat');
  const islands = weighted(laidIslands(cut, FINAL), graph, o.weights);
  control?.onProgress?.(0.9, 'packing');
  const packed = packIslands(islands, packing, control);
  return {
    mesh: withUvs(mesh, islands, packed.uvs),
    addedSeams: auto ? 0 : cut.seam.reduce((sum, s, e) => sum + (s === 1 && asked[e] === 0 ? 1 : 0), 0),
  };
}

function requireArea({ faceArea, faceTriangles }: FaceGraph): void {
  for (let f = 0; f < faceArea.length; f++)
    if (faceTriangles[f] === faceTriangles[f + 1])
      throw new InvalidInputError('BAD_TOPOLOGY', `Face ${f} has fewer than three corners; take it out, then unwrap.`, { face: f });
  if (!faceArea.some((area) => area > 0))
    throw new InvalidInputError('BAD_TOPOLOGY', 'No face of the mesh has any area; check its points and its unit.', { face: 0 });
}

/** Edges at which islands must part. */
function keptSeams({ mesh, edges, edgeFaces, passable }: FaceGraph, seams: UnwrapOptions['seams']): Uint8Array {
  const kept = new Uint8Array(passable.length);
  if (seams === 'auto') return kept;
  if (seams === 'groups') {
    const { of } = faceGroups(mesh);
    for (let e = 0; e < kept.length; e++) if (passable[e] === 1 && of[edgeFaces[2 * e]] !== of[edgeFaces[2 * e + 1]]) kept[e] = 1;
    return kept;
  }
  const wanted = new Set<number>();
  const P = mesh.positions.length / 3;
  for (let i = 0; i < seams.length; i += 2) wanted.add(Math.min(seams[i], seams[i + 1]) * P + Math.max(seams[i], seams[i + 1]));
  for (let e = 0; e < kept.length; e++) {
    const [a, b] = [edges.edgeVerts[2 * e], edges.edgeVerts[2 * e + 1]];
    if (wanted.delete(Math.min(a, b) * P + Math.max(a, b)) && passable[e] === 1) kept[e] = 1;
  }
  for (const key of wanted)
    throw new InvalidInputError(
      'BAD_OPTION',
      `A seam runs from point ${Math.floor(key / P)} to ${key % P}, where the mesh has no edge; give the ends of edges.`,
      { option: 'seams' },
    );
  return kept;
}

/** Islands scaled by the weight of their groups: where one holds several, by the mean over its area. */
function weighted<T extends LaidFlat>(
  islands: readonly T[],
  { mesh, faceArea }: FaceGraph,
  weights: UnwrapOptions['weights'],
): readonly T[] {
  if (Object.keys(weights).length === 0) return islands;
  const { names, of } = faceGroups(mesh);
  const byGroup = names.map((name) => (Object.hasOwn(weights, name) ? weights[name] : 1));
  return islands.map((island) => {
    let [sum, area] = [0, 0];
    for (const f of island.chart.faces) {
      sum += faceArea[f] * byGroup[of[f]];
      area += faceArea[f];
    }
    const weight = area > 0 ? sum / area : 1;
    return { ...island, uv: island.uv.map((x) => x * weight) };
  });
}

function withUvs(mesh: PolyMesh, islands: readonly LaidFlat[], packed: readonly Float32Array[]): PolyMesh {
  const faceUvs = new Uint32Array(mesh.faceVerts.length);
  const uvs = new Float32Array(packed.reduce((sum, uv) => sum + uv.length, 0));
  let first = 0;
  islands.forEach(({ chart }, i) => {
    let o = 0;
    for (const f of chart.faces)
      for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) faceUvs[c] = first + chart.cornerPoints[o++];
    uvs.set(packed[i], 2 * first);
    first += packed[i].length / 2;
  });
  return { ...mesh, uvs, faceUvs };
}
