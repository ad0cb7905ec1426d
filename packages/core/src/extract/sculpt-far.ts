import { diagonalOf } from '../mesh/bounds';
import { withOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import { buildRayBvh } from '../spatial/bvh';
import { ClosestQuery } from '../spatial/closest';
import type { Finding } from '../uv/finding';
import { Findings, many } from '../uv/finding';

/** A light mesh is rough, but not by more than this share of the sculpt's diagonal; beyond, place, unit or shape is another. */
const FAR_SHARE = 0.1;
/** Faces that may be far all the same, as a share: a tip that the light mesh rounds off. */
const FEW_SHARE = 0.01;
/** Triangles and points looked at on each side: their spacing is far below what is far. */
const SAMPLES = 100_000;

/** Where a light mesh and its sculpt lie too far apart to be one thing: faces of the light mesh that are far from the sculpt, or how much of the
 *  sculpt is far from the light mesh. Null where neither is. */
export function sculptFarFinding(low: PolyMesh, given: PolyMesh): Finding | null {
  const sculpt = withOriginOf(given, low);
  const limit = FAR_SHARE * diagonalOf(sculpt.positions);
  const far = farFaces(low, sculpt, limit);
  const back = farFaces(sculpt, low, limit);
  const findings = new Findings();
  const percent = 100 * FAR_SHARE;
  findings.add(
    'sculpt-far',
    'warning',
    far.share > FEW_SHARE ? far.faces : [],
    (n) =>
      `${many(n, 'face')} of the light mesh farther than ${percent} % of the diagonal from the sculpt; check its place, size and unit.`,
  );
  if (findings.list.length === 0)
    findings.add(
      'sculpt-far',
      'warning',
      [],
      () =>
        `${Math.max(1, Math.round(100 * back.share))} % of the sculpt is farther than ${percent} % of the diagonal from the light mesh; check its place, size and unit, or whether a piece is missing.`,
      back.share > FEW_SHARE ? 1 : 0,
    );
  return findings.list.at(0) ?? null;
}

/** Faces (of those looked at) all of whose corners are farther from the other mesh than a limit. */
function farFaces(mesh: PolyMesh, other: PolyMesh, limit: number): { faces: number[]; share: number } {
  const verts = surfaceVerts(other);
  const step = Math.max(1, Math.floor(verts.length / 3 / SAMPLES));
  const some = step === 1 ? verts : verts.filter((_, i) => Math.floor(i / 3) % step === 0);
  const query = new ClosestQuery(buildRayBvh(other.positions, some));
  const faces: number[] = [];
  const p = mesh.positions;
  const F = faceCount(mesh);
  const stride = Math.max(1, Math.floor(F / SAMPLES));
  let looked = 0;
  for (let f = 0; f < F; f += stride) {
    looked++;
    let near = false;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1] && !near; c++) {
      const v = 3 * mesh.faceVerts[c];
      near = query.find(p[v], p[v + 1], p[v + 2], limit);
    }
    if (!near) faces.push(f);
  }
  return { faces, share: looked === 0 ? 0 : faces.length / looked };
}
