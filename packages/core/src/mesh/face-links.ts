import { faceNormal } from './normals';
import type { PolyMesh } from './poly-mesh';
import { faceCount, NO_INDEX } from './poly-mesh';
import { buildEdges, connectivityOf } from './topology';

/** Which faces lie next to each other, and how: for face f the links `starts[f]` to `starts[f + 1]`. */
export interface FaceLinks {
  readonly starts: Uint32Array; // F + 1
  readonly faces: Uint32Array; // L, the face on the other side
  readonly bend: Float32Array; // L, radians between the normals of both
  /** L: 1 where the edge is a crease of the mesh, 2 where UVs part along it, 3 for both. */
  readonly kind: Uint8Array;
}
const CREASED = 1;
const SEAM = 2;

/** What a flood stops at. */
export interface FloodStops {
  /** Edges that bend by more, radians, and creases; null for neither. */
  readonly bend: number | null;
  /** Borders of UV islands. */
  readonly seams: boolean;
  /** Borders of groups, by the group of each face; null for none. */
  readonly groups: Uint16Array | null;
}

/** Links across all edges that two or more faces share; around an edge of more than two each face is linked to the next. Linear in corners. */
export function faceLinks(mesh: PolyMesh): FaceLinks {
  const { faceOffsets, faceVerts, faceUvs } = mesh;
  const F = faceCount(mesh);
  const { cornerEdges, edgeVerts } = buildEdges(connectivityOf(mesh));
  const last = new Int32Array(edgeVerts.length / 2).fill(-1);
  const before = new Int32Array(cornerEdges.length).fill(-1);
  const count = new Uint32Array(F + 1);
  const faceOf = new Uint32Array(cornerEdges.length);
  for (let f = 0; f < F; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      faceOf[c] = f;
      const e = cornerEdges[c];
      if (last[e] >= 0 && faceOf[last[e]] !== f) {
        before[c] = last[e];
        count[f]++;
        count[faceOf[last[e]]]++;
      }
      last[e] = c;
    }
  const starts = new Uint32Array(F + 1);
  for (let f = 0; f < F; f++) starts[f + 1] = starts[f] + count[f];
  const links = { starts, faces: new Uint32Array(starts[F]), bend: new Float32Array(starts[F]), kind: new Uint8Array(starts[F]) };
  const at = starts.slice(0, F);
  const normals = normalsOfFaces(mesh);
  const creased = creasedEdges(mesh);
  const next = (c: number): number => (c + 1 === faceOffsets[faceOf[c] + 1] ? faceOffsets[faceOf[c]] : c + 1);
  /** UVs of a corner's edge, in the order of its points' numbers. */
  const uvsOf = (c: number): readonly [number, number] => {
    if (faceUvs === null) return [NO_INDEX, NO_INDEX];
    const [a, b] = [faceUvs[c], faceUvs[next(c)]];
    return faceVerts[c] < faceVerts[next(c)] ? [a, b] : [b, a];
  };
  for (let c = 0; c < before.length; c++) {
    if (before[c] < 0) continue;
    const [f, g] = [faceOf[c], faceOf[before[c]]];
    const dot = normals[3 * f] * normals[3 * g] + normals[3 * f + 1] * normals[3 * g + 1] + normals[3 * f + 2] * normals[3 * g + 2];
    const bend = Math.acos(Math.min(1, Math.max(-1, dot)));
    const [p, q] = [uvsOf(c), uvsOf(before[c])];
    const e = cornerEdges[c];
    const kind = (creased(edgeVerts[2 * e], edgeVerts[2 * e + 1]) ? CREASED : 0) | (p[0] === q[0] && p[1] === q[1] ? 0 : SEAM);
    for (const [own, other] of [
      [f, g],
      [g, f],
    ]) {
      // prettier-ignore
      const l = at[own]++;
      links.faces[l] = other;
      links.bend[l] = bend;
      links.kind[l] = kind;
    }
  }
  return links;
}

/** Marked faces and those next to them. */
export function grownFaces({ starts, faces }: FaceLinks, marked: Uint8Array): Uint8Array {
  const out = marked.slice();
  for (let f = 0; f < marked.length; f++) if (marked[f] === 1) for (let l = starts[f]; l < starts[f + 1]; l++) out[faces[l]] = 1;
  return out;
}

/** Marked faces without those that lie next to others. */
export function shrunkFaces({ starts, faces }: FaceLinks, marked: Uint8Array): Uint8Array {
  return marked.map((m, f) => {
    for (let l = starts[f]; l < starts[f + 1]; l++) if (marked[faces[l]] === 0) return 0;
    return m;
  });
}

/** All faces that can be reached from one without crossing what stops it. @returns 1 for each of them */
export function floodedFaces({ starts, faces, bend, kind }: FaceLinks, from: number, stops: FloodStops): Uint8Array {
  const out = new Uint8Array(starts.length - 1);
  const stack = [from];
  out[from] = 1;
  while (stack.length > 0) {
    const f = stack.pop() as number;
    for (let l = starts[f]; l < starts[f + 1]; l++) {
      const g = faces[l];
      if (out[g] === 1) continue;
      if (stops.bend !== null && (bend[l] > stops.bend || (kind[l] & CREASED) !== 0)) continue;
      if (stops.seams && (kind[l] & SEAM) !== 0) continue;
      if (stops.groups !== null && stops.groups[f] !== stops.groups[g]) continue;
      out[g] = 1;
      stack.push(g);
    }
  }
  return out;
}

function creasedEdges({ creases, positions }: PolyMesh): (a: number, b: number) => boolean {
  if (creases === null) return () => false;
  const P = positions.length / 3;
  const keys = new Set<number>();
  const key = (a: number, b: number): number => Math.min(a, b) * P + Math.max(a, b);
  for (let i = 0; i < creases.edges.length; i += 2) keys.add(key(creases.edges[i], creases.edges[i + 1]));
  return (a, b) => keys.has(key(a, b));
}

/** Unit normals; zero for faces without area. */
function normalsOfFaces(mesh: PolyMesh): Float32Array {
  const out = new Float32Array(3 * faceCount(mesh));
  for (let f = 0; f < faceCount(mesh); f++) {
    const [x, y, z] = faceNormal(mesh, f);
    const length = Math.hypot(x, y, z) || 1;
    out[3 * f] = x / length;
    out[3 * f + 1] = y / length;
    out[3 * f + 2] = z / length;
  }
  return out;
}
