import { meanEdgeLength } from '../mesh/edge-length';
import { withOriginOf } from '../mesh/local-origin';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import { buildRayBvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';
import { LineQuery } from '../spatial/ray';
import { refineOnce } from '../subdivision/refine';
import { finestOf } from '../subdivision/finest';
import type { Finding } from '../uv/finding';
import { Findings, many } from '../uv/finding';
import { reachOver } from './reach-over';

/** Points that are looked at, at least where refining gives them, and at most: a glance that takes a second, not the transfer. */
const ENOUGH = 6000;
const MOST = 40_000;
/** Times its own length that an edge may become on the sculpt. */
const TORN = 4;
/** Share of torn faces that is no matter: a tip, or the rim of an undercut. */
const FEW = 0.02;

/** Where a light mesh spans strands of a free sculpt: what a transfer would not project, and faces that it would pull from one strand to another.
 *  Null where it hardly does. */
export function spansStrandsFinding(low: PolyMesh, given: PolyMesh): Finding | null {
  const sculpt = withOriginOf(given, low);
  const verts = surfaceVerts(sculpt);
  if (faceCount(low) === 0 || verts.length === 0) return null;
  const tree = buildRayBvh(sculpt.positions, verts);
  let level = finestOf([low]);
  let levels = 0;
  while (pointCount(level.mesh) < ENOUGH && pointCount(level.mesh) * 4 < MOST) {
    level = refineOnce(level);
    levels++;
  }
  const { mesh } = level;
  const { positions: p, faceOffsets, faceVerts } = mesh;
  const normals = vertexNormals(mesh);
  const P = pointCount(mesh);
  const reach = reachOver(p, meanEdgeLength(mesh), new ClosestQuery(tree));
  const line = new LineQuery(tree);
  const placed = new Float32Array(3 * P).fill(NaN);
  let missed = 0;
  for (let v = 0; v < P; v++) {
    const o = 3 * v;
    if (!line.nearest(p[o], p[o + 1], p[o + 2], normals[o], normals[o + 1], normals[o + 2], 0, -reach, reach, 'along')) missed++;
    else for (let k = 0; k < 3; k++) placed[o + k] = p[o + k] + line.t * normals[o + k];
  }
  const bad = new Uint8Array(faceCount(mesh));
  let torn = 0;
  for (let f = 0; f < bad.length; f++) {
    let isMissed = false;
    let isTorn = false;
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const [a, b] = [3 * faceVerts[c], 3 * faceVerts[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1]];
      if (Number.isNaN(placed[a])) isMissed = true;
      else if (Math.hypot(placed[a] - placed[b], placed[a + 1] - placed[b + 1], placed[a + 2] - placed[b + 2]) > TORN * Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])) isTorn = true; // prettier-ignore
    }
    if (isTorn) torn++;
    bad[f] = Number(isMissed || isTorn);
  }
  const share = missed / P;
  const tornShare = torn / bad.length;
  if (tornShare <= FEW) return null;
  const findings = new Findings();
  findings.add(
    'spans-strands',
    'warning',
    facesBelow(low, bad, levels),
    (n) =>
      `${many(n, 'face')} of the light mesh ${n === 1 ? 'spans' : 'span'} strands or deep folds of the sculpt: of places on it, ${percent(share)} find nothing along their normals within ${reach.toPrecision(3)} units, and ${percent(tornShare)} of its finer faces would reach from one strand to another. A transfer would leave folds there; take a light mesh that follows the strands, or transfer one level and look.`,
  );
  return findings.list.at(0) ?? null;
}

/** Faces of a mesh in which marked faces of its refined level lie: a face makes one of each of its corners, in their order, and each of those four. */
function facesBelow({ faceOffsets }: PolyMesh, marked: Uint8Array, levels: number): number[] {
  const faces: number[] = [];
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const per = levels === 0 ? 1 : 4 ** (levels - 1);
    const [from, to] = levels === 0 ? [f, f + 1] : [faceOffsets[f] * per, faceOffsets[f + 1] * per];
    if (marked.subarray(from, to).includes(1)) faces.push(f);
  }
  return faces;
}

const percent = (share: number): string => `${Math.max(1, Math.round(100 * share))} %`;
