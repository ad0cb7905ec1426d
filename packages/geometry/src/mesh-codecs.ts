import type { MeshCodec, MeshFile, MeshFormatId, PolyMesh, ReadMeshOptions, WriteMeshOptions } from '@estampe/core';
import { CORE_MESH_CODECS, lossOf, meshFormatOf, recogniseMesh } from '@estampe/core';
import { readGltf } from './gltf-read';
import { writeGltf } from './gltf-write';
import { readUsdz, writeUsdz } from './usdz';

/** How every known format is read and written. */
export const MESH_CODECS: Readonly<Record<MeshFormatId, MeshCodec>> = {
  ...CORE_MESH_CODECS,
  gltf: { read: readGltf, write: writeGltf },
  usdz: { read: readUsdz, write: writeUsdz },
};

/** Reads a mesh by its content, not its name. @throws InvalidInputError EMPTY_FILE, NOT_THIS_FORMAT, and what its format's reader throws */
export const readMesh = async (bytes: Uint8Array, options?: ReadMeshOptions): Promise<MeshFile> =>
  MESH_CODECS[recogniseMesh(bytes)].read(bytes, options);

/** A mesh in the format that a name says, OBJ for a name that says none; and what that format cannot hold of it. */
export async function writeMesh(
  mesh: PolyMesh,
  name: string,
  options: WriteMeshOptions = {},
): Promise<{ readonly bytes: Uint8Array; readonly lost: string | null }> {
  const id = meshFormatOf(name) ?? 'obj';
  return { bytes: await MESH_CODECS[id].write(mesh, { ...options, name }), lost: lossOf(mesh, id, options.scene) };
}
