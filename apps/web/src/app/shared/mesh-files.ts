import { MAX_UPLOAD_BYTES } from '@estampe/contracts';
import { MESH_ENDINGS, meshFormatOf, otherEndingAdvice } from '@estampe/core';

/** What a picker of meshes offers. */
export const MESH_FILES = MESH_ENDINGS.join(',');

export const isZip = ({ name }: File): boolean => /\.zip$/i.test(name);

/** Why a file cannot be brought in, in one sentence; null when it can be tried. */
export function refusalOf(file: File): string | null {
  if (meshFormatOf(file.name) === null) return otherEndingAdvice(file.name);
  if (file.size > MAX_UPLOAD_BYTES) return `${file.name} is larger than 2 GiB; bring in a lighter level or fewer pieces.`;
  if (file.size === 0) return `${file.name} is empty; write the mesh again.`;
  return null;
}
