import { InvalidInputError, meshFormatOf } from '@estampe/core';
import type { FileEntry } from '@zip.js/zip.js';
import { BlobReader, configure, ZipReader } from '@zip.js/zip.js';

export interface ZippedMesh {
  /** With its folders inside the zip. */
  readonly path: string;
  readonly pieces: readonly Uint8Array<ArrayBuffer>[];
}
export interface ZipLimits {
  readonly files: number;
  /** Of one mesh, unpacked. */
  readonly bytes: number;
}

// whoever opens a zip is in a worker already
configure({ useWebWorkers: false });

/** Unpacks the meshes of a zip, checked against their checksums; everything else in it is passed over, and so are files that a system hides.
 *  @throws InvalidInputError TOO_LARGE beyond the limits, TRUNCATED for a zip that is damaged or locked, NOT_THIS_FORMAT for one without meshes */
export async function zippedMeshes(zip: Blob, { files, bytes }: ZipLimits): Promise<ZippedMesh[]> {
  const reader = new ZipReader(new BlobReader(zip), { checkSignature: true });
  try {
    const entries = (await reader.getEntries()).filter((entry): entry is FileEntry => !entry.directory && isMesh(entry.filename));
    if (entries.length === 0) throw new InvalidInputError('NOT_THIS_FORMAT', 'it holds no mesh that can be read; look into it.');
    if (entries.length > files)
      throw new InvalidInputError('TOO_LARGE', `it holds ${entries.length} meshes, more than ${files}; bring in fewer at a time.`);
    const out: ZippedMesh[] = [];
    for (const entry of entries) out.push({ path: entry.filename, pieces: await piecesOf(entry, bytes) });
    return out;
  } catch (error) {
    throw error instanceof InvalidInputError
      ? error
      : new InvalidInputError('TRUNCATED', 'it is damaged, cut off, or locked by a password; unpack it and drop its folder.');
  } finally {
    await reader.close().catch(() => undefined);
  }
}

/** What an entry unpacks to, whatever it says of its size. */
async function piecesOf(entry: FileEntry, most: number): Promise<Uint8Array<ArrayBuffer>[]> {
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  let size = 0;
  const counted = new WritableStream<Uint8Array>({
    write(piece) {
      size += piece.length;
      if (size > most)
        throw new InvalidInputError(
          'TOO_LARGE',
          `${entry.filename} in it is larger than ${most / 1024 ** 3} GiB; bring in a lighter level or fewer pieces.`,
        );
      pieces.push(new Uint8Array(piece));
    },
  });
  await entry.getData(counted);
  return pieces;
}

/** Neither a folder's notes nor `__MACOSX/…` nor names that begin with a dot. */
const isMesh = (path: string): boolean =>
  meshFormatOf(path) !== null && !path.split('/').some((step) => step.startsWith('.') || step === '__MACOSX');
