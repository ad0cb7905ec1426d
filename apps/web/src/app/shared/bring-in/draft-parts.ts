import type { FileFacts } from '@estampe/core';
import { madeOf, sortFiles, unusedName, withoutMeshEnding } from '@estampe/core';
import type { LookedAt } from '../../workers/file-messages';
import { count } from '../format';

/** A file that is to be brought in. */
export interface Brought {
  readonly path: string;
  readonly file: File;
  /** Null until somebody has looked into it. */
  readonly looked: LookedAt | null;
}
/** Files that are to make a part, by their paths. */
export interface DraftPart {
  readonly id: number;
  readonly name: string;
  readonly paths: readonly string[];
}

const factsOf = ({ path, file, looked }: Brought): FileFacts => ({ path, bytes: file.size, mesh: looked?.mesh ?? null });

/** Proposes the parts that files make, beside those that are kept as they are. */
export function proposedParts(files: readonly Brought[], kept: readonly DraftPart[], firstId: number): DraftPart[] {
  const taken = new Set(kept.map((part) => part.name));
  return sortFiles(files.map(factsOf)).map(({ name, files: members }, k) => ({
    id: firstId + k,
    name: unusedName(name, taken),
    paths: members.map((i) => files[i].path),
  }));
}

/** Puts a file into another part, by its number; -1 into one of its own, null nowhere. A part that is left without files goes. */
export function movedFile(parts: readonly DraftPart[], path: string, to: number | null): DraftPart[] {
  const without = parts.map((part) => ({ ...part, paths: part.paths.filter((p) => p !== path) }));
  const id = 1 + Math.max(-1, ...parts.map((part) => part.id));
  const file = path.split('/').at(-1) ?? path;
  const own: DraftPart = { id, name: unusedName(withoutMeshEnding(file), new Set(parts.map((part) => part.name))), paths: [path] };
  return [
    ...without.map((part) => (part.id === to ? { ...part, paths: [...part.paths, path] } : part)),
    ...(to === -1 ? [own] : []),
  ].filter((part) => part.paths.length > 0);
}

/** What a part's files make, in words, and each file's place in it. */
export interface PartWords {
  readonly kind: string;
  /** False where they cannot be brought in as one part. */
  readonly usable: boolean;
  readonly files: readonly { readonly path: string; readonly name: string; readonly role: string; readonly facts: string }[];
}

const PLAIN = { kind: '', usable: true };

export function wordsOf(part: DraftPart, all: ReadonlyMap<string, Brought>): PartWords {
  const files = part.paths.map((path) => all.get(path)).filter((file) => file !== undefined);
  const made = madeOf(files.map(factsOf));
  const ordered = (made?.files ?? files.map((_, i) => i)).map((i) => files[i]);
  const known = files.every(({ looked }) => looked !== null);
  const words = !known
    ? PLAIN
    : made === null
      ? { kind: 'These are not levels of one stack. Keep a light mesh and one sculpt together, and move the rest.', usable: false }
      : { kind: KINDS[made.kind], usable: true };
  return { ...words, files: ordered.map((file, i) => ({ path: file.path, name: file.file.name, role: known ? role(i, made?.kind) : '', facts: facts(file, i) })) }; // prettier-ignore
}

const KINDS = {
  stack: 'Levels of one stack.',
  free: 'A light mesh and a free sculpt.',
  alone: 'One mesh by itself: it can be looked at, mended and unwrapped; its light mesh or its sculpt can come later.',
};
const role = (i: number, kind: 'stack' | 'free' | 'alone' | undefined): string =>
  kind === undefined || kind === 'alone' ? '' : i === 0 ? 'light' : kind === 'free' ? 'sculpt' : 'level';
const facts = ({ looked }: Brought, i: number): string =>
  looked === null
    ? 'looking…'
    : looked.mesh === null
      ? 'large: read on the press'
      : `${count(looked.mesh.faces)} faces${i > 0 ? '' : looked.uvs ? ', UVs' : ', no UVs'}`;

/** What is common to the names of all parts: the folder that everything came in, else the first part's name. */
export function assetNameOf(parts: readonly DraftPart[]): string {
  const folders = parts.flatMap((part) => part.paths.map((path) => path.split('/').slice(0, -1)));
  const [first = []] = folders;
  let common = 0;
  while (common < first.length && folders.every((folder) => folder[common] === first[common])) common++;
  const name = parts.length > 1 && common > 0 ? first[common - 1] : (parts.at(0)?.name ?? '');
  return name.replace(/[-_]+/g, ' ');
}
