import { MAX_UPLOAD_BYTES } from '@estampe/contracts';
import { MESH_ENDINGS, MESH_FORMAT_NAMES, meshFormatOf } from '@estampe/core';

/** What a picker of meshes offers. */
export const MESH_FILES = MESH_ENDINGS.join(',');

/** Why a file cannot be brought in, in one sentence; null when it can be tried. */
export function refusalOf(file: File): string | null {
  if (meshFormatOf(file.name) === null)
    return `${file.name} is not an ${MESH_FORMAT_NAMES} file; write the mesh as ${MESH_FORMAT_NAMES} with its polygons and UVs.`;
  if (file.size > MAX_UPLOAD_BYTES) return `${file.name} is larger than 2 GiB; bring in a lighter level or fewer pieces.`;
  if (file.size === 0) return `${file.name} is empty; write the mesh again.`;
  return null;
}
