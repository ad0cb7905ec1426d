import type { MeshFile, PolyMesh, ReadMeshOptions, WriteMeshOptions } from '@estampe/core';
import { CORE_MESH_CODECS, InvalidInputError, MESH_FORMATS, UnsupportedError } from '@estampe/core';
import { unzipSync, zipSync } from 'fflate';

/** Largest layer that is unpacked; packages hold their files as they are, so a layer is never larger than its package. */
const MOST_BYTES = 2 ** 31 - 1;
/** Where files of a package begin (USDZ specification 1.3): on multiples of this. */
const ALIGNMENT = 64;
const LOCAL_HEADER = 30;
const EXTRA_HEADER = 4;
const EXTRA_ID = 0x1986;
const LAYER = 'mesh.usda';

/** Reads the first layer of a USD package: what it shows. @throws InvalidInputError NOT_THIS_FORMAT, TOO_LARGE; UnsupportedError for a binary layer */
export function readUsdz(bytes: Uint8Array, options: ReadMeshOptions = {}): MeshFile {
  let name: string | null = null;
  let files: Record<string, Uint8Array>;
  try {
    files = unzipSync(bytes, {
      filter: (file) => {
        if (name !== null || file.name.endsWith('/')) return false;
        name = file.name;
        if (file.originalSize > MOST_BYTES || file.originalSize > bytes.length)
          throw new InvalidInputError(
            'TOO_LARGE',
            `${file.name} in this package is packed, which a USD package must not be; write it again.`,
          );
        return true;
      },
    });
  } catch (error) {
    if (error instanceof InvalidInputError) throw error;
    throw new InvalidInputError('TRUNCATED', 'this USD package is damaged or cut off; write or copy it again.');
  }
  const layer = name === null ? undefined : (files[name] as Uint8Array | undefined);
  if (name === null || layer === undefined) throw new InvalidInputError('NOT_THIS_FORMAT', 'this USD package is empty; write it again.');
  if (!/\.usd[ac]?$/i.test(name))
    throw new InvalidInputError('NOT_THIS_FORMAT', `this package begins with ${shown(name)}, not with a layer of USD; choose a mesh file.`);
  if (MESH_FORMATS.usdc.recognises(layer))
    throw new UnsupportedError(
      'UNSUPPORTED',
      `${shown(name)} in this package is USD in its binary form, which is not read; save it as text (.usda).`,
    );
  return CORE_MESH_CODECS.usd.read(layer, options);
}

const shown = (name: string): string => name.slice(0, 80);

/** Writes a mesh as a USD package of one text layer, stored as it is on a multiple of 64 bytes. */
export function writeUsdz(mesh: PolyMesh, options: WriteMeshOptions = {}): Uint8Array {
  const layer = CORE_MESH_CODECS.usd.write(mesh, options);
  const before = LOCAL_HEADER + LAYER.length + EXTRA_HEADER;
  const fill = (ALIGNMENT - (before % ALIGNMENT)) % ALIGNMENT;
  return zipSync({ [LAYER]: [layer, { level: 0, mtime: '1980-01-01T12:00:00', extra: { [EXTRA_ID]: new Uint8Array(fill) } }] });
}
