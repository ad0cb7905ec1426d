import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { overlappingFaces } from './overlap';
import { movedPoints } from '../mesh/moved-points';
import { faceTiles, tileOrigin, tilesInUse } from './tiles';
import { diagonalOf } from '../mesh/bounds';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, facesWhere, NO_INDEX, pointCount } from '../mesh/poly-mesh';
import { edgeFindings } from '../mesh/edge-findings';
import { DOUBLED_SHARE, doubledPoints } from '../mesh/doubled-points';
import type { MarginOptions } from './check-islands';
import { addIslandFindings } from './check-islands';
import type { Finding } from './finding';
import { Findings, many, MAX_LISTED } from './finding';

export interface MeshCheck {
  readonly points: number;
  readonly faces: number;
  readonly diagonal: number;
  readonly tiles: readonly number[];
  readonly findings: readonly Finding[];
}

/** A point of as many edges is drawn into a pinch when it is subdivided. */
const PINCHING_EDGES = 8;
/** Triangles are few below this share of faces: where most are, the mesh is made of them. */
const FEW_TRIANGLES = 0.5;

/** Looks for what hurts later: missing UVs, n-gons, edges of three faces, points of several fans, flipped faces, empty faces, holes, loose pieces, overlapping islands. */
export function checkMesh(mesh: PolyMesh, control?: RunControl, margin: Partial<MarginOptions> = {}): MeshCheck {
  const findings = new Findings();
  const add = findings.add.bind(findings);
  const F = faceCount(mesh);
  add('no-uvs', 'error', facesWithoutUvs(mesh), (n) =>
    n === F ? 'The mesh has no UVs; a map needs them, so unwrap the light mesh.' : `${many(n, 'face')} without UVs; unwrap them too.`,
  );
  add(
    'ngons',
    'note',
    facesWhere(mesh, (f) => mesh.faceOffsets[f + 1] - mesh.faceOffsets[f] > 4),
    (n) => `${many(n, 'face')} with more than four corners; kept as they are, they subdivide into quads.`,
  );
  throwIfAborted(control);
  const borders = edgeFindings(mesh);
  add('pinching', 'note', pinchingFaces(mesh), (n) => `${many(n, 'face')} where subdivision will pinch: triangles among quads, or around points where ${PINCHING_EDGES} edges or more meet; make them quads where the surface should be even.`); // prettier-ignore
  const doubled = doubledPoints(mesh);
  add(
    'doubled-points',
    'warning',
    doubled.includes(1)
      ? facesWhere(mesh, (f) => mesh.faceVerts.subarray(mesh.faceOffsets[f], mesh.faceOffsets[f + 1]).some((v) => doubled[v] === 1))
      : [],
    (n) =>
      `${many(n, 'point')} lying on another (within ${Number((100 * DOUBLED_SHARE).toPrecision(3))} % of the diagonal); the surface is open between them, so weld them.`,
    doubled.reduce((sum, d) => sum + d, 0),
  );
  add(
    'non-manifold',
    'warning',
    borders.crowded,
    (n) => `${many(n, 'edge')} between three or more faces; treated as creases.`,
    borders.crowdedEdges,
  );
  add(
    'folded-fans',
    'warning',
    borders.folded,
    (n) =>
      `${many(n, 'point')} where faces meet in more than one fan; they are held in place. Split the point, or join the faces by an edge.`,
    borders.foldedPoints,
  );
  add(
    'flipped-faces',
    'warning',
    borders.flipped,
    (n) =>
      `${many(n, 'face')} facing against the rest of the piece; the edges around are sharp and nothing is found there. Turn them round.`,
  );
  add('holes', 'note', borders.open, (n) => `${many(n, 'open border')}; the surface ends there.`, borders.loops);
  add('loose-pieces', 'note', borders.loose, (n) => `The mesh has ${n} pieces that do not touch.`, borders.pieces > 1 ? borders.pieces : 0);
  add('zero-area', 'warning', emptyFaces(mesh), (n) => `${many(n, 'face')} without area; they have no normal and may tear.`);
  throwIfAborted(control);
  let tiles: number[] = [];
  if (mesh.uvs !== null && mesh.faceUvs !== null && !mesh.faceUvs.includes(NO_INDEX)) {
    const perFace = faceTiles(mesh, mesh.uvs, mesh.faceUvs);
    tiles = tilesInUse(perFace);
    add(
      'uv-outside-tiles',
      'error',
      facesWhere(mesh, (f) => perFace[f] === 0),
      (n) => `${many(n, 'face')} outside the numbered UV tiles; move their islands to u 0 to 10 and v from 0 up.`,
    );
    add(
      'uv-across-tiles',
      'warning',
      facesAcross(mesh, mesh.uvs, mesh.faceUvs, perFace),
      (n) => `${many(n, 'face')} reaching into a second UV tile; that part is read from their own tile's border.`,
    );
    const overlap = overlappingFaces(mesh, mesh.uvs, mesh.faceUvs, perFace, tiles, control);
    add(
      'uv-overlap',
      'warning',
      overlap.faces,
      (n) =>
        `${overlap.complete ? '' : 'at least '}${many(n, 'face')} sharing UV space with others; where they overlap the lower face number wins.`,
    );
    throwIfAborted(control);
    addIslandFindings(findings, mesh, margin);
  }
  return { points: pointCount(mesh), faces: F, diagonal: diagonalOf(mesh.positions), tiles, findings: findings.list };
}

/** What changed since an earlier version of the same mesh; null when nothing did, or when no point has a counterpart. */
export function movedFinding(before: PolyMesh, after: PolyMesh, unit = 'units'): Finding | null {
  const moved = movedPoints(before, after);
  if (moved === null || (moved.count === 0 && moved.uvCorners === 0)) return null;
  const { count, max, farthest, faces, uvCorners } = moved;
  const share = (100 * max) / diagonalOf(before.positions);
  const place = [0, 1, 2]
    .map((k) => Number((after.origin[k] + after.positions[3 * farthest + k]).toPrecision(after.origin[k] === 0 ? 4 : 8)))
    .join(' ');
  const points =
    count === 0
      ? 'No point has moved'
      : `${many(count, 'point')} moved by up to ${Number(max.toPrecision(4))} ${unit} (${Number(share.toPrecision(2))} % of the diagonal), farthest at ${place}`;
  const uvs = uvCorners === 0 ? '' : `; UVs differ at ${many(uvCorners, 'corner')}`;
  return {
    code: 'points-moved',
    severity: 'warning',
    count: count === 0 ? uvCorners : count,
    message: `${points}${uvs}. Maps measured before are out of date; extract them again.`,
    faces: faces.slice(0, MAX_LISTED),
  };
}

/** Triangles where most faces are none, and faces around points of many edges. */
function pinchingFaces(mesh: PolyMesh): ArrayLike<number> {
  const F = faceCount(mesh);
  const corners = (f: number): number => mesh.faceOffsets[f + 1] - mesh.faceOffsets[f];
  let triangles = 0;
  for (let f = 0; f < F; f++) if (corners(f) === 3) triangles++;
  if (triangles > FEW_TRIANGLES * F) return [];
  const around = new Uint8Array(pointCount(mesh));
  for (const v of mesh.faceVerts) if (around[v] < 255) around[v]++;
  return facesWhere(mesh, (f) => {
    if (corners(f) === 3) return true;
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) if (around[mesh.faceVerts[c]] >= PINCHING_EDGES) return true;
    return false;
  });
}

function facesWithoutUvs({ faceUvs, faceOffsets, ...mesh }: PolyMesh): Uint32Array {
  return facesWhere({ faceUvs, faceOffsets, ...mesh }, (f) => {
    if (faceUvs === null) return true;
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) if (faceUvs[c] === NO_INDEX) return true;
    return false;
  });
}

function emptyFaces(mesh: PolyMesh): Uint32Array {
  const p = mesh.positions;
  return facesWhere(mesh, (f) => {
    let x = 0, y = 0, z = 0; // prettier-ignore
    const o = mesh.faceOffsets[f];
    const n = mesh.faceOffsets[f + 1] - o;
    const a = 3 * mesh.faceVerts[o];
    let longest = 0;
    for (let k = 1; k + 1 < n; k++) {
      const b = 3 * mesh.faceVerts[o + k];
      const c = 3 * mesh.faceVerts[o + k + 1];
      const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]; // prettier-ignore
      const wx = p[c] - p[a], wy = p[c + 1] - p[a + 1], wz = p[c + 2] - p[a + 2]; // prettier-ignore
      x += uy * wz - uz * wy;
      y += uz * wx - ux * wz;
      z += ux * wy - uy * wx;
      longest = Math.max(longest, ux * ux + uy * uy + uz * uz, wx * wx + wy * wy + wz * wz);
    }
    return Math.hypot(x, y, z) <= 1e-9 * longest;
  });
}

function facesAcross(mesh: PolyMesh, uvs: Float32Array, faceUvs: Uint32Array, tiles: Uint16Array): Uint32Array {
  return facesWhere(mesh, (f) => {
    if (tiles[f] === 0) return false;
    const [u0, v0] = tileOrigin(tiles[f]);
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const u = uvs[2 * faceUvs[c]] - u0;
      const v = uvs[2 * faceUvs[c] + 1] - v0;
      if (u < -1e-5 || u > 1 + 1e-5 || v < -1e-5 || v > 1 + 1e-5) return true;
    }
    return false;
  });
}
