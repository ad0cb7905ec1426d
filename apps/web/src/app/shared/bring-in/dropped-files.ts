import type { FileAt } from '../../workers/file-messages';

/** Files of a drop, and of the folders in it. To be called while the drop is handled: what was dropped is taken back afterwards. */
export function droppedFiles(transfer: DataTransfer | null): Promise<FileAt[]> {
  const entries = [...(transfer?.items ?? [])].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return Promise.resolve([...(transfer?.files ?? [])].map(fileAt));
  return Promise.all(entries.map(filesOf)).then((files) => files.flat());
}

/** Files of a picker; one for folders says their paths. */
export const fileAt = (file: File): FileAt => ({ file, path: file.webkitRelativePath || file.name });

async function filesOf(entry: FileSystemEntry): Promise<FileAt[]> {
  if (entry.name.startsWith('.')) return [];
  if (isFile(entry))
    return [{ path: entry.fullPath.replace(/^\//, ''), file: await new Promise<File>((resolve, reject) => entry.file(resolve, reject)) }];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    // a browser gives them in portions
    const portion = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (portion.length === 0) break;
    inside.push(...portion);
  }
  return (await Promise.all(inside.map(filesOf))).flat();
}

const isFile = (entry: FileSystemEntry): entry is FileSystemFileEntry => entry.isFile;
