import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, NO_INDEX } from '../mesh/poly-mesh';
import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { decodeUtf8 } from '../runtime/growable';
import type { FileBytes } from './byte-window';
import { wholeBytes, windowOf } from './byte-window';
import { startsWith } from './bytes';
import type { MeshCodec, MeshFormat, SceneFacts } from './mesh-format';
import { readObj } from './obj-read';
import { writeObj } from './obj-write';
import { readPly } from './ply-read';
import { writePly } from './ply-write';
import { normalsOfPoints } from './point-normals';
import { isStl, readStl, writeStl } from './stl';
import { meshOfUsd } from './usd/usd-mesh';
import { isUsdText, readUsdText } from './usd/usd-text';
import { writeUsdText } from './usd/usd-write';

/** Share of bytes that no text has, above which a file is none. A few of them are damage that a reader can name by its line. */
const MOST_NULS = 0.01;
const isText = (head: Uint8Array): boolean => head.filter((byte) => byte === 0).length <= MOST_NULS * head.length;
/** The eight bytes that a binary layer of USD begins with. */
const BINARY_USD_MARK = [0x50, 0x58, 0x52, 0x2d, 0x55, 0x53, 0x44, 0x43];
const EVERYTHING = { order: true, polygons: true, farAway: true, uvs: 'any', normals: 'corners', groups: 'all', creases: true, colours: true, units: true } as const; // prettier-ignore
const TRIANGLES = { order: false, polygons: false, farAway: false, uvs: 'none', normals: 'none', groups: 'none', creases: false, colours: false, units: false } as const; // prettier-ignore

/** Every mesh format that is known. A file is asked of one after another, so one that is plain text without a mark stands last. */
export const MESH_FORMATS = {
  ply: {
    name: 'PLY',
    endings: ['.ply'],
    recognises: (head) => startsWith(head, 'ply\n') || startsWith(head, 'ply\r'),
    holds: { ...EVERYTHING, normals: 'points', groups: 'groups', creases: false, units: false },
    written: 'numbers',
  },
  usd: {
    name: 'USD',
    endings: ['.usda', '.usd'],
    recognises: isUsdText,
    holds: { ...EVERYTHING, uvs: 'complete' },
    written: 'text',
  },
  usdz: {
    name: 'USDZ',
    endings: ['.usdz'],
    recognises: (head) => startsWith(head, 'PK\x03\x04'),
    holds: { ...EVERYTHING, uvs: 'complete' },
    written: 'text',
  },
  usdc: {
    name: 'binary USD',
    endings: ['.usdc'],
    recognises: (head) => BINARY_USD_MARK.every((byte, i) => head[i] === byte),
    holds: EVERYTHING,
    written: false,
  },
  gltf: {
    name: 'glTF',
    endings: ['.glb', '.gltf'],
    recognises: (head) => startsWith(head, 'glTF') || /^\s*\{[\s\S]*"asset"/.test(decodeUtf8(head)),
    holds: { ...TRIANGLES, uvs: 'complete', normals: 'corners', colours: true, units: true },
    written: 'numbers',
  },
  stl: {
    name: 'STL',
    endings: ['.stl'],
    recognises: isStl,
    holds: TRIANGLES,
    written: 'numbers',
  },
  obj: {
    name: 'OBJ',
    endings: ['.obj'],
    recognises: isText,
    holds: { ...EVERYTHING, creases: false, units: false },
    written: 'text',
  },
} as const satisfies Readonly<Record<string, MeshFormat>>;

export type MeshFormatId = keyof typeof MESH_FORMATS;

/** The readers and writers that need nothing but the core. */
export const CORE_MESH_CODECS = {
  ply: { read: readPly, write: writePly },
  usd: { read: (file, options) => meshOfUsd(readUsdText(wholeBytes(file), options?.control), options), write: writeUsdText },
  usdc: {
    read: () => {
      throw new UnsupportedError(
        'UNSUPPORTED',
        'this is USD in its binary form, which is not read; save it as text (.usda) or as a package of text.',
      );
    },
    write: writeUsdText,
  },
  stl: { read: (file, options) => readStl(wholeBytes(file), options), write: writeStl },
  obj: { read: readObj, write: writeObj },
} as const satisfies Partial<Record<MeshFormatId, MeshCodec>>;

const ALL = Object.entries(MESH_FORMATS) as [MeshFormatId, MeshFormat][];
export const MESH_ENDINGS: readonly string[] = ALL.flatMap(([, format]) => format.endings);
/** For sentences: "OBJ, PLY or STL". Made when it is wanted: to load a language takes longer than all the rest of this file. */
export const meshFormatNames = (): string =>
  new Intl.ListFormat('en-GB', { type: 'disjunction' }).format(
    ALL.filter(([, format]) => format.written)
      .map(([, format]) => format.name)
      .sort((a, b) => a.localeCompare(b, 'en')),
  );

const hasEnding = (name: string, ending: string): boolean => name.toLowerCase().endsWith(ending);

/** @returns the format that a file's name says; null for none that is known */
export const meshFormatOf = (name: string): MeshFormatId | null =>
  ALL.find(([, format]) => format.endings.some((ending) => hasEnding(name, ending)))?.[0] ?? null;

/** A mesh file's name without its ending. */
export function withoutMeshEnding(name: string): string {
  const ending = MESH_ENDINGS.find((e) => hasEnding(name, e));
  return ending === undefined ? name : name.slice(0, -ending.length);
}

/** What to do about a file whose ending is not one of ours: also of programs whose files only they can read. */
export const otherEndingAdvice = (name: string): string => {
  const ending = /\.[A-Za-z0-9]{1,10}$/.exec(name)?.[0];
  return ending === undefined
    ? `${name} has no ending that says what it is; meshes are read as ${meshFormatNames()}.`
    : `${name} is not a mesh that can be read: open it in the program that wrote the ${ending} file and save the mesh as ${meshFormatNames()}.`;
};

const HEAD_BYTES = 4096;

/** Which format a file has by its first bytes; null for none that is known. @param size of the whole file */
export function formatByHead(bytes: Uint8Array, size: number): MeshFormatId | null {
  const head = bytes.subarray(0, HEAD_BYTES);
  return ALL.find(([, format]) => format.recognises(head, size))?.[0] ?? null;
}

/** Which format a file has by its content, not its name. @throws InvalidInputError EMPTY_FILE, NOT_THIS_FORMAT */
export function recogniseMesh(file: FileBytes): MeshFormatId {
  const window = windowOf(file);
  if (window.size === 0) throw new InvalidInputError('EMPTY_FILE', 'The file is empty; write the mesh again.');
  const found = formatByHead(window.atLeast(HEAD_BYTES), window.size);
  if (found === null)
    throw new InvalidInputError('NOT_THIS_FORMAT', `this is no mesh file that can be read; write the mesh as ${meshFormatNames()}.`);
  return found;
}

/** What a mesh has that a format cannot hold, in one sentence; null where it holds all of it. */
export function lossOf(mesh: PolyMesh, id: MeshFormatId, scene: SceneFacts | undefined): string | null {
  const { name, holds }: MeshFormat = MESH_FORMATS[id];
  const { sections, faceOffsets, origin } = mesh;
  const lost: string[] = [];
  if (!holds.order) lost.push('the order of points');
  if (!holds.polygons && faceOffsets[faceCount(mesh)] > 3 * faceCount(mesh)) lost.push('faces of more than three corners (they are cut into triangles)'); // prettier-ignore
  if (!holds.farAway && origin.some((x) => x !== 0)) lost.push('the precision of points so far from zero');
  if (holds.uvs === 'none' && mesh.uvs !== null) lost.push('UVs');
  if (holds.uvs === 'complete' && mesh.faceUvs?.includes(NO_INDEX) === true) lost.push('that some faces have no UVs (they get 0, 0)');
  if (mesh.normals !== null && (holds.normals === 'none' || (holds.normals === 'points' && normalsOfPoints(mesh) === null))) lost.push('normals'); // prettier-ignore
  if (holds.groups !== 'all') {
    if (holds.groups === 'none' && sections.some((s) => s.group !== '')) lost.push('groups');
    if (sections.some((s) => s.object !== '')) lost.push('names of objects');
    if (sections.some((s) => s.material !== '')) lost.push('names of materials');
    if (sections.some((s) => s.smoothing !== '')) lost.push('smoothing groups');
  }
  if (!holds.creases && mesh.creases !== null) lost.push('creases');
  if (!holds.colours && mesh.colors !== null) lost.push('colours');
  if (!holds.units && scene !== undefined && (scene.metresPerUnit !== null || scene.up !== null)) lost.push('unit and up axis');
  if (lost.length === 0) return null;
  const list = new Intl.ListFormat('en-GB', { type: 'conjunction' }).format(lost);
  return `${name} cannot hold ${list}; write USD where they matter.`;
}
