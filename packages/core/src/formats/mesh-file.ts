import type { PolyMesh } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import type { MeshFile, MeshFormat } from './mesh-format';
import { readObj } from './obj-read';
import { writeObj } from './obj-write';

/** Share of bytes that no text has, above which a file is none. A few of them are damage that a reader can name by its line. */
const MOST_NULS = 0.01;
const isText = (head: Uint8Array): boolean => head.filter((byte) => byte === 0).length <= MOST_NULS * head.length;

/** Every mesh format that is read and written. A file is asked of one after another, so one that is plain text without a mark stands last. */
export const MESH_FORMATS = {
  obj: {
    name: 'OBJ',
    endings: ['.obj'],
    recognises: isText,
    read: readObj,
    write: writeObj,
  },
} as const satisfies Readonly<Record<string, MeshFormat>>;

const ALL: readonly MeshFormat[] = Object.values(MESH_FORMATS);
export const MESH_ENDINGS: readonly string[] = ALL.flatMap((format) => format.endings);
/** For sentences: "OBJ", or "OBJ, PLY or STL". */
export const MESH_FORMAT_NAMES = new Intl.ListFormat('en', { type: 'disjunction' }).format(ALL.map((format) => format.name));

const hasEnding = (name: string, ending: string): boolean => name.toLowerCase().endsWith(ending);

/** @returns the format that a file's name says; null for none that is known */
export const meshFormatOf = (name: string): MeshFormat | null =>
  ALL.find((format) => format.endings.some((ending) => hasEnding(name, ending))) ?? null;

/** A mesh file's name without its ending. */
export function withoutMeshEnding(name: string): string {
  const ending = MESH_ENDINGS.find((e) => hasEnding(name, e));
  return ending === undefined ? name : name.slice(0, -ending.length);
}

const HEAD_BYTES = 4096;

/** Reads a mesh by its content, not its name. @throws InvalidInputError EMPTY_FILE, NOT_THIS_FORMAT, and what its format's reader throws */
export function readMesh(bytes: Uint8Array, control?: RunControl): MeshFile {
  if (bytes.length === 0) throw new InvalidInputError('EMPTY_FILE', 'The file is empty; write the mesh again.');
  const head = bytes.subarray(0, HEAD_BYTES);
  const format = ALL.find((f) => f.recognises(head));
  if (format === undefined)
    throw new InvalidInputError('NOT_THIS_FORMAT', `this is no mesh file that can be read; write the mesh as ${MESH_FORMAT_NAMES}.`);
  return format.read(bytes, control);
}

/** Writes a mesh in the format that the name says; the first one for a name that says none. */
export const writeMesh = (mesh: PolyMesh, name: string, control?: RunControl): Uint8Array =>
  (meshFormatOf(name) ?? MESH_FORMATS.obj).write(mesh, control);
