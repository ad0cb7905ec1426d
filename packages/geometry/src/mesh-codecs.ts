import type { FileBytes, MeshCodec, MeshFile, MeshFormatId, PolyMesh, ReadMeshOptions, WriteMeshOptions } from '@estampe/core';
import { CORE_MESH_CODECS, lossOf, meshFormatOf, recogniseMesh, requireFinite, wholeBytes } from '@estampe/core';

/** How every known format is read and written. Those that need a library load it when they are asked for: it takes longer to load than a small
 *  mesh to read. */
export const MESH_CODECS: Readonly<Record<MeshFormatId, MeshCodec>> = {
  ...CORE_MESH_CODECS,
  gltf: {
    read: async (file, options) => (await import('./gltf-read')).readGltf(wholeBytes(file), options),
    write: async (mesh, options) => (await import('./gltf-write')).writeGltf(mesh, options),
  },
  usdz: {
    read: async (file, options) => (await import('./usdz')).readUsdz(wholeBytes(file), options),
    write: async (mesh, options) => (await import('./usdz')).writeUsdz(mesh, options),
  },
};

/** Reads a mesh by its content, not its name; a file that comes in pieces is never held whole where its format can be read from front to back.
 *  @throws InvalidInputError EMPTY_FILE, NOT_THIS_FORMAT, and what its format's reader throws */
export async function readMesh(file: FileBytes, options?: ReadMeshOptions): Promise<MeshFile> {
  const found = await MESH_CODECS[recogniseMesh(file)].read(file, options);
  requireFinite(found.mesh);
  return found;
}

/** A mesh in the format that a name says, OBJ for a name that says none; and what that format cannot hold of it. */
export async function writeMesh(
  mesh: PolyMesh,
  name: string,
  options: WriteMeshOptions = {},
): Promise<{ readonly bytes: Uint8Array; readonly lost: string | null }> {
  const id = meshFormatOf(name) ?? 'obj';
  return { bytes: await MESH_CODECS[id].write(mesh, { ...options, name }), lost: lossOf(mesh, id, options.scene) };
}
