import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import type { Connectivity, EdgeTable } from '../mesh/topology';
import { buildEdges } from '../mesh/topology';
import { triangulate } from '../mesh/triangulate';
import type { Allocate } from '../runtime/threads';
import { refineLinear, splitEdges, splitFaces } from '../subdivision/catmull-clark';
import { splitCopies } from '../uv/copies';
import { TangentFrame } from './tangent-frame';

/** How the tangents of triangles come together: 1 takes the mean of dP/du as it is, so that triangles with thin UVs rule it; 2 of unit dP/du. */
export type FrameRule = 1 | 2;
/** The rule that maps are made with; files that name none were made with the first. */
export const FRAME_RULE: FrameRule = 2;
/** The rule that a map of ours was made with, by its record. */
export const frameRuleOf = (record: { readonly frameRule?: number | null | undefined }): FrameRule => (record.frameRule === 2 ? 2 : 1);

/** How U runs over a base surface, per (point, UV) of one island. Typed arrays only, so threads can share it. */
export interface DerivativeFrames {
  /** Which tangent stands at each corner: of the base's faces, or of its triangles where `atTriangles` made it. */
  readonly corners: Uint32Array;
  /** Mean dP/du (direction; its length means nothing), then the island's handedness (1, or -1 where it is mirrored): 4 a tangent. */
  readonly tangents: Float32Array;
}

/** Derivative frames of a base surface (../docs/how-it-measures.md, Frames), computed on the base at one level and carried to another.
 *
 *  dP/du of a triangle is the one of the map that takes its UVs to its points; a (point, UV) takes the mean of unit dP/du over the triangles
 *  of its island, weighted by their angle there. Finer levels blend the tangents as they split faces; coarser levels have a part of the points.
 *  @param base the base's points and UVs at the level that frames are computed on
 *  @param steps levels from there to the level wanted: above 0 finer, below 0 coarser
 *  @throws InvalidInputError NO_UVS */
export function derivativeFrames(base: PolyMesh, steps: number, rule: FrameRule = FRAME_RULE): DerivativeFrames {
  const { signs, tags } = faceHandedness(base);
  const copies = splitCopies(base, tags);
  const tangents = meanTangents(base, copies.faceVerts, copies.points.length, signs, rule);
  if (steps < 0) {
    // a face's first child begins at its own first corner, so every 4^k-th corner is one of k levels below
    const stride = 4 ** -steps;
    const corners = new Uint32Array(copies.faceVerts.length / stride);
    for (let c = 0; c < corners.length; c++) corners[c] = copies.faceVerts[c * stride];
    return { corners, tangents };
  }
  let connectivity: Connectivity = { faceOffsets: base.faceOffsets, faceVerts: copies.faceVerts, vertCount: copies.points.length };
  let values = tangents;
  let edges: EdgeTable | null = null;
  for (let k = 0; k < steps; k++) {
    edges ??= buildEdges(connectivity);
    values = refineLinear(values, 4, connectivity, edges);
    const child = splitFaces(connectivity, edges);
    if (k + 1 < steps) edges = splitEdges(connectivity, edges);
    connectivity = child;
  }
  return { corners: connectivity.faceVerts, tangents: values };
}

/** The tangents at the corners of triangles instead of faces. @param triangleCorners uint32[3 T], corners of the mesh */
export function atTriangles({ corners, tangents }: DerivativeFrames, triangleCorners: Uint32Array, allocate: Allocate): DerivativeFrames {
  const out = new Uint32Array(allocate(triangleCorners.byteLength));
  for (let i = 0; i < out.length; i++) out[i] = corners[triangleCorners[i]];
  return { corners: out, tangents };
}

/** Whether each face's UVs run the way its points do: 1, or -1 where they are mirrored; tags keep the two kinds apart. */
function faceHandedness(mesh: PolyMesh): { signs: Int8Array; tags: Uint16Array } {
  const { uvs, faceUvs } = requireUvs(mesh);
  const F = faceCount(mesh);
  const signs = new Int8Array(F);
  const tags = new Uint16Array(F);
  for (let f = 0; f < F; f++) {
    let doubleArea = 0;
    const first = mesh.faceOffsets[f];
    const end = mesh.faceOffsets[f + 1];
    const u0 = uvs[2 * faceUvs[first]];
    const v0 = uvs[2 * faceUvs[first] + 1];
    for (let c = first + 1; c + 1 < end; c++) {
      const a = 2 * faceUvs[c];
      const b = 2 * faceUvs[c + 1];
      doubleArea += (uvs[a] - u0) * (uvs[b + 1] - v0) - (uvs[a + 1] - v0) * (uvs[b] - u0);
    }
    signs[f] = doubleArea < 0 ? -1 : 1;
    tags[f] = doubleArea < 0 ? 1 : 0;
  }
  return { signs, tags };
}

function meanTangents(mesh: PolyMesh, faceCopies: Uint32Array, copyCount: number, signs: Int8Array, rule: FrameRule): Float32Array {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { positions: p, faceVerts } = mesh;
  const { corners, faces } = triangulate(mesh);
  const sums = new Float64Array(3 * copyCount);
  const angles = new Float64Array(copyCount);
  const out = new Float32Array(4 * copyCount);
  const add = (copy: number, angle: number, x: number, y: number, z: number): void => {
    angles[copy] += angle;
    sums[3 * copy] += angle * x;
    sums[3 * copy + 1] += angle * y;
    sums[3 * copy + 2] += angle * z;
  };
  for (let t = 0; t < faces.length; t++) {
    const i = corners[3 * t], j = corners[3 * t + 1], k = corners[3 * t + 2]; // prettier-ignore
    const a = 3 * faceVerts[i], b = 3 * faceVerts[j], c = 3 * faceVerts[k]; // prettier-ignore
    const ua = 2 * faceUvs[i], ub = 2 * faceUvs[j], uc = 2 * faceUvs[k]; // prettier-ignore
    const first = faceCopies[i], second = faceCopies[j], third = faceCopies[k]; // prettier-ignore
    const sign = signs[faces[t]];
    out[4 * first + 3] = sign;
    out[4 * second + 3] = sign;
    out[4 * third + 3] = sign;
    const du1 = uvs[ub] - uvs[ua], dv1 = uvs[ub + 1] - uvs[ua + 1], du2 = uvs[uc] - uvs[ua], dv2 = uvs[uc + 1] - uvs[ua + 1]; // prettier-ignore
    const det = du1 * dv2 - du2 * dv1;
    if (det === 0) continue;
    let x = ((p[b] - p[a]) * dv2 - (p[c] - p[a]) * dv1) / det;
    let y = ((p[b + 1] - p[a + 1]) * dv2 - (p[c + 1] - p[a + 1]) * dv1) / det;
    let z = ((p[b + 2] - p[a + 2]) * dv2 - (p[c + 2] - p[a + 2]) * dv1) / det;
    if (rule === 2) {
      const length = Math.hypot(x, y, z);
      if (length === 0) continue;
      x /= length;
      y /= length;
      z /= length;
    }
    add(first, cornerAngle(p, a, b, c), x, y, z);
    add(second, cornerAngle(p, b, c, a), x, y, z);
    add(third, cornerAngle(p, c, a, b), x, y, z);
  }
  for (let n = 0; n < copyCount; n++) if (angles[n] > 0) for (let i = 0; i < 3; i++) out[4 * n + i] = sums[3 * n + i] / angles[n];
  return out;
}

function cornerAngle(p: Float32Array, v: number, a: number, b: number): number {
  const ux = p[a] - p[v], uy = p[a + 1] - p[v + 1], uz = p[a + 2] - p[v + 2]; // prettier-ignore
  const wx = p[b] - p[v], wy = p[b + 1] - p[v + 1], wz = p[b + 2] - p[v + 2]; // prettier-ignore
  const cx = uy * wz - uz * wy, cy = uz * wx - ux * wz, cz = ux * wy - uy * wx; // prettier-ignore
  return Math.atan2(Math.sqrt(cx * cx + cy * cy + cz * cz), ux * wx + uy * wy + uz * wz);
}

/** The frame between three tangents: blended dP/du made perpendicular to N and unit, B by the island's handedness. */
export class DerivativeFrameAt extends TangentFrame {
  constructor(private readonly frames: DerivativeFrames) {
    super();
  }

  /** @param i, j, k places in `corners`; a, b, c their weights @param nx, ny, nz the base's unit normal */
  set(i: number, j: number, k: number, a: number, b: number, c: number, nx: number, ny: number, nz: number): void {
    const { corners, tangents: t } = this.frames;
    const p = 4 * corners[i], q = 4 * corners[j], r = 4 * corners[k]; // prettier-ignore
    const along = (o: number): number => a * t[p + o] + b * t[q + o] + c * t[r + o];
    this.setAcross(nx, ny, nz, along(0), along(1), along(2), along(3) < 0 ? -1 : 1);
  }
}
