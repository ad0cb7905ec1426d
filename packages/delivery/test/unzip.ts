import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import type { Entry, ZipFile } from 'yauzl';
import { fromBuffer } from 'yauzl';

/** Files of a zip by their paths, read by another library than the one that writes ours. */
export function unzip(bytes: Buffer): Promise<Map<string, Buffer>> {
  return new Promise((resolve, reject) => {
    const files = new Map<string, Buffer>();
    fromBuffer(bytes, { lazyEntries: true }, (error, zip?: ZipFile) => {
      if (error || !zip) {
        reject(error ?? new Error('no zip'));
        return;
      }
      zip.on('error', reject);
      zip.on('end', () => resolve(files));
      zip.on('entry', (entry: Entry) =>
        zip.openReadStream(entry, (failed, stream) => {
          if (failed) {
            reject(failed);
            return;
          }
          void buffer(stream).then((data) => {
            files.set(entry.fileName, data);
            zip.readEntry();
          }, reject);
        }),
      );
      zip.readEntry();
    });
  });
}

/** Writes a zip's files under a folder. @returns them by their paths */
export async function unzipTo(folder: string, bytes: Buffer): Promise<Map<string, Buffer>> {
  const files = await unzip(bytes);
  for (const [path, data] of files) {
    mkdirSync(join(folder, dirname(path)), { recursive: true });
    writeFileSync(join(folder, path), data);
  }
  return files;
}
