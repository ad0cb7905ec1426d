import { lstat, readdir, readlink, realpath, stat } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { InvalidInputError } from '@estampe/core';

/** Stands for a tile's number in a name. */
const TILE_MARK = '<UDIM>';
const MOST_LINKS = 40;

/** What tells two files apart: device and inode of one that is there, folder and name of one that is not. */
interface Place {
  /** As somebody wrote it. */
  readonly path: string;
  /** Of every file that is there under the name; several where it stands for tiles. */
  readonly inodes: ReadonlySet<string>;
  /** Real folder. */
  readonly folder: string;
  readonly name: string;
}

/** Refuses outputs that would replace an input or each other, or have no folder to go to. Links of both kinds count as what they lead to.
 *  @param inputs files that are read; a name may hold the mark of tiles
 *  @param outputs files that will be written; a name may hold the mark of tiles
 *  @throws InvalidInputError BAD_OPTION, NOT_FOUND naming the output */
export async function requireFreeOutputs(inputs: readonly string[], outputs: readonly string[]): Promise<void> {
  const read = await Promise.all(inputs.map((path) => placeOf(path).catch(() => null)));
  const written: Place[] = [];
  for (const path of outputs) {
    await requireFolder(path);
    const place = await placeOf(path);
    const input = read.find((other) => other !== null && meet(place, other));
    if (input)
      throw new InvalidInputError(
        'BAD_OPTION',
        `${path}: this output is the input ${input.path}, which would be lost; give the output a name of its own.`,
        { file: path },
      );
    const other = written.find((o) => meet(place, o));
    if (other)
      throw new InvalidInputError(
        'BAD_OPTION',
        `${path}: this output and the output ${other.path} are one file; give each a name of its own.`,
        { file: path },
      );
    written.push(place);
  }
}

/** Whether both lead to one file. */
export async function isSameFile(a: string, b: string): Promise<boolean> {
  try {
    return meet(await placeOf(a), await placeOf(b));
  } catch {
    return false;
  }
}

/** Where writing to a name really goes: through symbolic links, also one that leads to nothing yet.
 *  @throws InvalidInputError NOT_FOUND for a loop of links */
export async function linkTarget(path: string): Promise<string> {
  let at = resolve(path);
  for (let k = 0; k < MOST_LINKS; k++) {
    const info = await lstat(at).catch(() => null);
    if (!info?.isSymbolicLink()) return at;
    at = resolve(dirname(at), await readlink(at));
  }
  throw new InvalidInputError('NOT_FOUND', `${path}: these links lead in a circle; name the file itself.`, { file: path });
}

async function requireFolder(path: string): Promise<void> {
  const folder = dirname(resolve(path));
  const info = await stat(folder).catch(() => null);
  if (!info)
    throw new InvalidInputError('NOT_FOUND', `${path}: the folder ${folder} is not there; make it first, or choose another.`, {
      file: path,
    });
  if (!info.isDirectory()) throw new InvalidInputError('NOT_FOUND', `${path}: ${folder} is not a folder; choose another.`, { file: path });
  if ((await stat(path).catch(() => null))?.isDirectory())
    throw new InvalidInputError('NOT_FOUND', `${path}: this is a folder; name a file in it.`, { file: path });
}

async function placeOf(path: string): Promise<Place> {
  const target = path.includes(TILE_MARK) ? resolve(path) : await linkTarget(path);
  const folder = await realpath(dirname(target));
  const name = basename(target);
  const there = path.includes(TILE_MARK)
    ? (await readdir(folder)).filter((other) => namesMeet(name, other)).map((n) => join(folder, n))
    : [target];
  const inodes = new Set<string>();
  for (const file of there) {
    const info = await stat(file, { bigint: true }).catch(() => null);
    // what is no regular file is written into and loses nothing: a terminal may well take two reports
    if (info?.isFile()) inodes.add(`${info.dev}:${info.ino}`);
  }
  return { path, inodes, folder, name };
}

function meet(a: Place, b: Place): boolean {
  for (const inode of a.inodes) if (b.inodes.has(inode)) return true;
  // one of them is not there yet
  return (a.inodes.size === 0 || b.inodes.size === 0) && a.folder === b.folder && namesMeet(a.name, b.name) && !isDevice(a.folder);
}

const isDevice = (folder: string): boolean => /^\/(dev|proc)(\/|$)/.test(folder);

function namesMeet(a: string, b: string): boolean {
  const pattern = (name: string): RegExp =>
    new RegExp(`^${name.split(TILE_MARK).map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('[0-9]{4}')}$`); // prettier-ignore
  return a === b || pattern(a).test(b) || pattern(b).test(a);
}
