import { MAX_UPLOAD_BYTES } from '@estampe/contracts';

/** Why a file cannot be brought in, in one sentence; null when it can be tried. */
export function refusalOf(file: File): string | null {
  if (!/\.obj$/i.test(file.name)) return `${file.name} is not an OBJ file; write the mesh as OBJ with its polygons and UVs.`;
  if (file.size > MAX_UPLOAD_BYTES) return `${file.name} is larger than 2 GiB; bring in a lighter level or fewer pieces.`;
  if (file.size === 0) return `${file.name} is empty; write the mesh again.`;
  return null;
}
