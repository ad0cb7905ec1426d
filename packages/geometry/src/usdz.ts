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
  requirePlainEntries(bytes);
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

const CENTRAL = 0x02014b50;
const END = 0x06054b50;
const CENTRAL_HEADER = 46;
const END_HEADER = 22;
const ENCRYPTED = 1;

/** The directory of the package (ZIP application note, 4.3.12): no entry may be encrypted, and no name stand there twice.
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED */
function requirePlainEntries(bytes: Uint8Array): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  // a comment of at most 64 KB may stand behind the end
  let end = bytes.length - END_HEADER;
  for (const least = Math.max(0, end - 0xffff); end >= least && view.getUint32(end, true) !== END; end--);
  if (end < 0 || view.getUint32(end, true) !== END)
    throw new InvalidInputError('TRUNCATED', 'this USD package has no directory at its end; it was cut off, so write or copy it again.');
  const names = new Set<string>();
  let at = view.getUint32(end + 16, true);
  for (let n = view.getUint16(end + 10, true); n > 0 && at + CENTRAL_HEADER <= end && view.getUint32(at, true) === CENTRAL; n--) {
    const length = view.getUint16(at + 28, true);
    const name = new TextDecoder().decode(bytes.subarray(at + CENTRAL_HEADER, at + CENTRAL_HEADER + length));
    if ((view.getUint16(at + 8, true) & ENCRYPTED) !== 0)
      throw new InvalidInputError(
        'NOT_THIS_FORMAT',
        `${shown(name)} in this package is encrypted, which a USD package must not be; write it again.`,
      );
    if (names.has(name))
      throw new InvalidInputError(
        'NOT_THIS_FORMAT',
        `${shown(name)} stands twice in this package, so that nobody knows which is meant; write it again.`,
      );
    names.add(name);
    at += CENTRAL_HEADER + length + view.getUint16(at + 30, true) + view.getUint16(at + 32, true);
  }
}

const shown = (name: string): string => name.slice(0, 80);

/** Writes a mesh as a USD package of one text layer, stored as it is on a multiple of 64 bytes. */
export function writeUsdz(mesh: PolyMesh, options: WriteMeshOptions = {}): Uint8Array {
  const layer = CORE_MESH_CODECS.usd.write(mesh, options);
  const before = LOCAL_HEADER + LAYER.length + EXTRA_HEADER;
  const fill = (ALIGNMENT - (before % ALIGNMENT)) % ALIGNMENT;
  return zipSync({ [LAYER]: [layer, { level: 0, mtime: '1980-01-01T12:00:00', extra: { [EXTRA_ID]: new Uint8Array(fill) } }] });
}
