import { createHash } from 'node:crypto';
import type { PolyMesh } from '@estampe/core';

export const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Hash of what a renderer has to have exactly as it was: points, polygons, UVs and creases in order; names and groups do not count. */
export function meshHash(mesh: PolyMesh): string {
  const hash = createHash('sha256');
  const parts = [mesh.positions, mesh.faceOffsets, mesh.faceVerts, mesh.uvs, mesh.faceUvs];
  for (const part of parts) {
    hash.update(String(part?.length ?? -1));
    if (part) hash.update(new Uint8Array(part.buffer, part.byteOffset, part.byteLength));
  }
  if (mesh.creases)
    for (const part of Object.values(mesh.creases) as (Float32Array | Uint32Array)[])
      hash.update(`crease ${part.length}`).update(new Uint8Array(part.buffer, part.byteOffset, part.byteLength));
  if (mesh.origin.some((x) => x !== 0)) hash.update(JSON.stringify(mesh.origin));
  return hash.digest('hex');
}
