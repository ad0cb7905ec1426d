import type { PolyMesh } from '@estampe/core';
import {
  coarserBy,
  crackAtSeams,
  faceCount,
  faceGroups,
  faceLinks,
  faceTiles,
  hasCompleteUvs,
  islandsOf,
  MENDS,
  meshSeams,
  pointCount,
  requireUvs,
  triangleVerts,
  triangulate,
  unpackMesh,
  uvLayers,
  vertexNormals,
} from '@estampe/core';
import type {
  DrawnMesh,
  FacesReply,
  FacesRequest,
  MendOutcome,
  MendReply,
  MendTrial,
  MeshReply,
  MeshRequest,
  MeshUse,
  SeamsReply,
  SeamsRequest,
} from './mesh-messages';
import { bytesOf } from './mesh-bytes';

/** Each UV edge once a face; a light mesh has few enough. */
function uvLinesOf({ uvs, faceUvs, faceOffsets }: PolyMesh): Float32Array {
  if (uvs === null || faceUvs === null) return new Float32Array(0);
  const out = new Float32Array(4 * faceUvs.length);
  for (let f = 0; f + 1 < faceOffsets.length; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
      const a = 2 * faceUvs[c];
      const b = 2 * faceUvs[c + 1 === faceOffsets[f + 1] ? faceOffsets[f] : c + 1];
      out.set([uvs[a], uvs[a + 1], uvs[b], uvs[b + 1]], 4 * c);
    }
  return out;
}

/** Normals of the whole mesh on copies that stand apart along UV seams: shading must not show the seam. */
function sheeted(mesh: PolyMesh) {
  const { uvs, faceUvs } = requireUvs(mesh);
  const cracked = crackAtSeams(mesh, faceTiles(mesh, uvs, faceUvs));
  const normals = vertexNormals(mesh);
  const copied = (values: Float32Array): Float32Array => {
    const out = new Float32Array(3 * cracked.points.length);
    for (let i = 0; i < cracked.points.length; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = values[3 * cracked.points[i] + k];
    return out;
  };
  const split = { ...mesh, faceVerts: cracked.faceVerts };
  return {
    positions: copied(mesh.positions),
    normals: copied(normals),
    index: triangleVerts(split, triangulate(mesh)),
    uvs: cracked.uvs,
    tiles: Float32Array.from(cracked.tiles),
  };
}

async function load({ url, errorsUrl, use, coarser }: MeshRequest): Promise<DrawnMesh> {
  const [bytes, errorBytes] = await Promise.all([bytesOf(url), errorsUrl === null ? null : bytesOf(errorsUrl)]);
  const [mesh, errors] = [unpackMesh(bytes), errorBytes === null ? null : new Float32Array(errorBytes.buffer)];
  if (coarser === 0) return drawnOf(mesh, use, errors);
  const { mesh: coarse, points } = coarserBy(mesh, coarser);
  return drawnOf(coarse, use, errors === null ? null : Float32Array.from(points, (v) => errors[v]));
}

function drawnOf(mesh: PolyMesh, use: MeshUse, errors: Float32Array | null): DrawnMesh {
  const light = use === 'light';
  // without UVs there is nothing to lay on the surface
  if (use === 'sheeted' && hasCompleteUvs(mesh))
    return {
      ...sheeted(mesh),
      errors: null,
      faces: null,
      uvLines: new Float32Array(0),
      uvLinesOfFaces: null,
      islands: null,
      uvLayers: null,
    };
  const triangles = triangulate(mesh);
  return {
    positions: mesh.positions,
    normals: vertexNormals(mesh),
    index: triangleVerts(mesh, triangles),
    errors,
    faces: light ? triangles.faces : null,
    uvs: null,
    tiles: null,
    uvLines: light ? uvLinesOf(mesh) : new Float32Array(0),
    uvLinesOfFaces: light && mesh.uvs !== null ? mesh.faceOffsets : null,
    islands: light && hasCompleteUvs(mesh) ? islandsOf(mesh).ofFace : null,
    uvLayers: light && hasCompleteUvs(mesh) ? uvLayers(mesh) : null,
  };
}

async function tryMend({ url, mend, amount }: MendTrial): Promise<MendOutcome> {
  const before = unpackMesh(await bytesOf(url));
  const { mesh: after, count } = MENDS[mend].apply(before, amount);
  return {
    count,
    points: [pointCount(before), pointCount(after)],
    faces: [faceCount(before), faceCount(after)],
    drawn: drawnOf(after, 'light', null),
  };
}

async function seamsOf({ id, url }: SeamsRequest): Promise<SeamsReply> {
  return { id, meshSeams: meshSeams(unpackMesh(await bytesOf(url))) };
}

async function facesOf({ id, url }: FacesRequest): Promise<FacesReply> {
  const mesh = unpackMesh(await bytesOf(url));
  return { id, meshFaces: { groups: faceGroups(mesh), links: faceLinks(mesh) } };
}

addEventListener('message', ({ data }: MessageEvent<MeshRequest | MendTrial | FacesRequest | SeamsRequest>) => {
  const refused = (error: unknown): void =>
    postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) } satisfies MeshReply);
  if ('mend' in data) {
    tryMend(data).then((outcome) => postMessage({ id: data.id, outcome } satisfies MendReply), refused);
    return;
  }
  if ('seams' in data) {
    seamsOf(data).then((reply) => postMessage(reply), refused);
    return;
  }
  if ('faces' in data) {
    facesOf(data).then((reply) => postMessage(reply), refused);
    return;
  }
  load(data).then(
    (mesh) =>
      postMessage({ id: data.id, mesh } satisfies MeshReply, { transfer: [mesh.positions.buffer, mesh.normals.buffer, mesh.index.buffer] }),
    refused,
  );
});
