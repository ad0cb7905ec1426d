import { faceGroups } from '../mesh/groups';
import { withOriginOf } from '../mesh/local-origin';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { cornerCount, faceCount } from '../mesh/poly-mesh';
import { requireOverlap } from '../mesh/same-place';
import { buildEdges } from '../mesh/topology';
import type { EdgeTable } from '../mesh/topology';
import type { ThinSamples } from '../mesh/surface-samples';
import { surfaceSamples } from '../mesh/surface-samples';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { stopOf } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import type { Bvh } from '../spatial/bvh';
import { requireSameFacing } from '../spatial/same-facing';
import { rayBvhByThreads } from '../spatial/tree-by-threads';
import { measuredAt } from './deviation';

/** Triangles of the sculpt that may answer: all, or those of one group. */
export interface TargetTree {
  readonly tree: Bvh;
  /** Triangle of the sculpt for each of the tree's; null where they are the same. */
  readonly ids: Uint32Array | null;
}

/** A free sculpt, ready to be projected on. */
export interface TransferTarget {
  readonly mesh: PolyMesh; // counted from the light mesh's origin
  readonly verts: Uint32Array; // 3 T
  /** The whole sculpt, then one a group that the light mesh has too. */
  readonly trees: readonly TargetTree[];
  /** Number of each such group among the trees. */
  readonly groups: ReadonlyMap<string, number>;
  /** Of the triangles; found when first asked for. */
  readonly edges: () => EdgeTable;
  /** Where it is measured at, of very many places a part. */
  readonly samples: () => ThinSamples;
  /** Its faces, counted as quads. */
  readonly quads: number;
}

/** Faces of a mesh, counted as quads: two triangles are one. */
export const quadsOf = (mesh: PolyMesh): number => (cornerCount(mesh) - 2 * faceCount(mesh)) / 2;

/** Makes a sculpt ready. Where both meshes have groups of the same names, each is searched by itself.
 *  @throws InvalidInputError NO_FACES, NO_OVERLAP, INSIDE_OUT; CancelledError */
export async function transferTarget(low: PolyMesh, sculpt: PolyMesh, threads: Threads, control?: RunControl): Promise<TransferTarget> {
  const mesh = withOriginOf(sculpt, low);
  const triangles = triangulate(mesh);
  const verts = triangleVerts(mesh, triangles);
  if (verts.length === 0)
    throw new InvalidInputError('NO_FACES', 'The sculpt has no faces to project on; write it again with its polygons.');
  requireOverlap(low, mesh);
  const trees: TargetTree[] = [{ tree: await rayBvhByThreads(mesh.positions, verts, threads, stopOf(control)), ids: null }];
  requireSameFacing({ positions: low.positions, normals: vertexNormals(low) }, trees[0].tree);
  const groups = new Map<string, number>();
  const own = faceGroups(mesh);
  const wanted = faceGroups(low).names.filter((name) => name !== '' && own.names.includes(name));
  if (own.names.length > 1)
    for (const name of wanted) {
      const group = own.names.indexOf(name);
      const ids: number[] = [];
      for (let t = 0; t < triangles.faces.length; t++) if (own.of[triangles.faces[t]] === group) ids.push(t);
      if (ids.length === 0) continue;
      const part = new Uint32Array(3 * ids.length);
      ids.forEach((t, i) => part.set(verts.subarray(3 * t, 3 * t + 3), 3 * i));
      groups.set(name, trees.length);
      trees.push({ tree: await rayBvhByThreads(mesh.positions, part, threads, stopOf(control)), ids: Uint32Array.from(ids) });
    }
  let edges: EdgeTable | null = null;
  let samples: ThinSamples | null = null;
  // its triangles as faces of their own
  const offsets = new Uint32Array(verts.length / 3 + 1);
  for (let t = 0; t < offsets.length; t++) offsets[t] = 3 * t;
  return {
    mesh,
    verts,
    trees,
    groups,
    edges: () => (edges ??= buildEdges({ faceOffsets: offsets, faceVerts: verts, vertCount: mesh.positions.length / 3 })),
    samples: () => (samples ??= measuredAt(surfaceSamples(mesh.positions, offsets, verts), threads.allocate)),
    quads: quadsOf(mesh),
  };
}

/** Which trees may answer for each point of a mesh: those of the groups around it, or the whole sculpt where one of them is not there. */
export interface Choices {
  readonly which: Uint16Array; // P, indices of `trees`
  readonly trees: readonly (readonly number[])[];
}

export function choicesOf(mesh: PolyMesh, { groups }: Pick<TransferTarget, 'groups'>): Choices {
  const which = new Uint16Array(mesh.positions.length / 3);
  const trees: number[][] = [[0]];
  if (groups.size === 0) return { which, trees };
  const { names, of } = faceGroups(mesh);
  const treeOf = names.map((name) => groups.get(name) ?? 0);
  const numbers = new Map<string, number>([['0', 0]]);
  const numberOf = (set: readonly number[]): number => {
    const key = set.join(' ');
    const known = numbers.get(key);
    if (known !== undefined) return known;
    numbers.set(key, trees.length);
    return trees.push([...set]) - 1;
  };
  const met = new Uint8Array(which.length);
  for (let f = 0; f < of.length; f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const v = mesh.faceVerts[c];
      const tree = treeOf[of[f]];
      const before = met[v] === 1 ? trees[which[v]] : [];
      met[v] = 1;
      if (before.includes(tree)) continue;
      const all = [...before, tree].sort((a, b) => a - b);
      // the whole sculpt holds every group
      which[v] = numberOf(all.includes(0) ? [0] : all);
    }
  return { which, trees };
}
