import type { Readable } from 'node:stream';
import { PassThrough } from 'node:stream';
import { ZipFile } from 'yazl';

/** A file of a zip; opened only when its turn comes, so that one is in memory at a time. */
export interface ZipEntry {
  readonly path: string;
  readonly open: () => Readable;
}

/** Streams a zip of files in one folder. Entries are stored as they are: maps are compressed already.
 *  @param mtime date of all entries, so that equal contents give equal bytes */
export function zipStream(folder: string, entries: readonly ZipEntry[], mtime: Date): Readable {
  const zip = new ZipFile();
  const output = new PassThrough();
  zip.outputStream.pipe(output);
  for (const { path, open } of entries)
    zip.addReadStreamLazy(`${folder}/${path}`, { compress: false, mtime }, (callback) => {
      const stream = open();
      stream.on('error', (error) => (zip as unknown as NodeJS.EventEmitter).emit('error', error));
      callback(null, stream);
    });
  zip.end();
  (zip as unknown as NodeJS.EventEmitter).on('error', (error: Error) => output.destroy(error));
  return output;
}
