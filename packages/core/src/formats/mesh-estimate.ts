import { EstampeError } from '../runtime/errors';
import { windowOf } from './byte-window';
import type { MeshFormatId } from './mesh-file';
import { formatByHead } from './mesh-file';
import { leastBytesOf, plyCounts, readPlyHeader } from './ply-header';

/** How large a mesh in a file is, before it is read. */
export interface MeshEstimate {
  readonly points: number;
  /** Null where the file's head does not say. */
  readonly faces: number | null;
  /** Bytes of memory that reading this format takes a point, besides what every mesh takes. */
  readonly besides: number;
}

/** Bytes of a file for a point with its quad or two triangles, and of memory besides while they are read; measured on PLY, OBJ and glTF of 0.8 to
 *  6.3 million points, and taken to be OBJ's for what is like it. */
const POINT: Readonly<Record<MeshFormatId, { readonly file: number; readonly besides: number }>> = {
  ply: { file: 33, besides: 0 },
  obj: { file: 65, besides: 60 },
  usd: { file: 80, besides: 60 },
  usdz: { file: 80, besides: 60 },
  usdc: { file: 80, besides: 60 },
  gltf: { file: 36, besides: 250 },
  stl: { file: 100, besides: 60 },
};
/** Bytes from the start of a file that an estimate looks at. */
export const ESTIMATE_BYTES = 65536;

/** By the file's head where that says it (PLY), else by what a point usually takes in its format.
 *  @param head its first ESTIMATE_BYTES @param size of the whole file */
export function estimateMesh(head: Uint8Array, size: number): MeshEstimate {
  const format = formatByHead(head, size) ?? 'obj';
  const { file, besides } = POINT[format];
  const said = format === 'ply' ? countsOfPly(head, size) : null;
  return { points: said?.points ?? size / file, faces: said?.faces ?? null, besides };
}

/** Null where the head cannot be read, or says more than the file can hold: reading it will say why. */
function countsOfPly(head: Uint8Array, size: number): { readonly points: number; readonly faces: number } | null {
  try {
    const header = readPlyHeader(windowOf(head));
    return leastBytesOf(header) - 1 <= size - header.bytes ? plyCounts(header) : null;
  } catch (error) {
    if (error instanceof EstampeError) return null;
    throw error;
  }
}
