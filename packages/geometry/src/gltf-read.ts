import type { MeshFile, Matrix, PolyMesh, ReadMeshOptions } from '@estampe/core';
import {
  aroundOrigin,
  DEFAULT_SECTION,
  determinant,
  InvalidInputError,
  isIdentity,
  localOriginOf,
  NO_INDEX,
  SectionTable,
  shareUvs,
  throwIfAborted,
  turnedNormals,
  weldEqual,
} from '@estampe/core';
import type { Accessor, Mesh, Primitive } from '@gltf-transform/core';
import { GLB_BUFFER, Logger, Primitive as Primitives, WebIO } from '@gltf-transform/core';
import type { GltfJson } from './gltf-check';
import { checkGltf } from './gltf-check';
import type { GltfPlace } from './gltf-scene';
import { placesOf } from './gltf-scene';

const GLB = 0x46546c67;
const JSON_CHUNK = 0x4e4f534a;
const GLB_HEAD = 20;

/** Reads the triangles of a glTF 2.0 (GLB, or JSON with its data inside): every node's mesh with its transform applied, points of one mesh that
 *  stand at the same place joined, V turned so that it runs upwards. glTF means metres, Y up.
 *  @throws InvalidInputError with what is wrong; UnsupportedError for compressed data and data in other files */
export async function readGltf(bytes: Uint8Array, { control, uvSet }: ReadMeshOptions = {}): Promise<MeshFile> {
  const binary = bytes.length >= GLB_HEAD && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === GLB;
  const json = parse(binary ? jsonOfGlb(bytes) : bytes);
  const checked = checkGltf(json, bytes.length);
  const io = new WebIO().setLogger(new Logger(Logger.Verbosity.SILENT));
  const meshes = new GltfMeshes(uvSet);
  try {
    const document = await io.readJSON({ json: onlyMeshes(checked) as never, resources: binary ? { [GLB_BUFFER]: dataOfGlb(bytes) } : {} });
    const list = document.getRoot().listMeshes();
    const places = placesOf(checked);
    for (const [i, place] of places.entries()) {
      throwIfAborted(control);
      control?.onProgress?.(i / places.length, 'reading');
      meshes.add(list[place.mesh], place);
    }
  } catch (error) {
    if (error instanceof Error && error.name.endsWith('Error') && 'code' in error) throw error;
    throw new InvalidInputError('NOT_THIS_FORMAT', `this glTF is damaged (${whatIsWrong(error).slice(0, 120)}); write it again.`);
  }
  return meshes.finish();
}

/** What the library reads: points and triangles. Images, motion and cameras may be damaged or in other files. */
const onlyMeshes = ({ asset, buffers = [], bufferViews = [], accessors = [], meshes = [], materials = [] }: GltfJson): object => ({
  asset,
  buffers,
  bufferViews,
  accessors,
  meshes,
  materials: materials.map(({ name }) => ({ name })),
});

/** The library's words for what it finds; where it stumbles over what it does not look for, the engine's words say nothing to people. */
function whatIsWrong(error: unknown): string {
  if (error instanceof RangeError) return 'its nodes are nested too deeply';
  if (error instanceof TypeError) return 'it refers to a part that is not there, or names one in a way that cannot be';
  return error instanceof Error ? error.message : String(error);
}

function jsonOfGlb(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const length = view.getUint32(12, true);
  if (view.getUint32(8, true) > bytes.length || length > bytes.length - GLB_HEAD) throw cutOff();
  if (view.getUint32(4, true) !== 2 || view.getUint32(16, true) !== JSON_CHUNK)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not a GLB of glTF 2.0; write the mesh again.');
  return bytes.subarray(GLB_HEAD, GLB_HEAD + length);
}

/** The data behind the JSON; empty where there is none. */
function dataOfGlb(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const head = GLB_HEAD + view.getUint32(12, true);
  if (head + 8 > bytes.length) return new Uint8Array(0);
  const length = view.getUint32(head, true);
  if (length > bytes.length - head - 8) throw cutOff();
  return bytes.slice(head + 8, head + 8 + length);
}

const cutOff = (): InvalidInputError =>
  new InvalidInputError('TRUNCATED', 'this GLB is shorter than it says; it was cut off, so write or copy it again.');

function parse(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as unknown;
  } catch {
    throw new InvalidInputError('NOT_THIS_FORMAT', 'the JSON of this glTF cannot be read; it was cut off or changed, so write it again.');
  }
}

/** Meshes gathered into one. */
class GltfMeshes {
  private readonly positions: Float32Array[] = [];
  private readonly verts: Uint32Array[] = [];
  private readonly cornerUvs: Float32Array[] = [];
  private readonly normals: Float32Array[] = [];
  private readonly faceNormals: Uint32Array[] = [];
  private readonly colours: (Float32Array | null)[] = [];
  private readonly sections = new SectionTable();
  private readonly faceSections: number[] = [];
  private readonly uvSets = new Set<string>();
  private readonly notes = new Map<string, number>();
  private pointCount = 0;
  private normalCount = 0;
  private transformed = 0;
  private meshes = 0;

  constructor(private readonly uvSet: string | undefined) {}

  add(mesh: Mesh, { matrix, name, skinned }: GltfPlace): void {
    if (skinned) this.note('skin (the mesh stands as it was bound)');
    const same = isIdentity(matrix);
    const parts = mesh.listPrimitives().flatMap((primitive) => {
      if (primitive.listTargets().length > 0) this.note('set of morph targets');
      const corners = this.corners(primitive);
      return corners === null || corners.length === 0 ? [] : [{ primitive, corners }];
    });
    if (parts.length === 0) return;
    this.meshes++;
    if (!same) this.transformed++;
    const mirrored = determinant(matrix) < 0;
    const places: Float32Array[] = [];
    for (const { primitive, corners } of parts) {
      if (mirrored) for (let c = 0; c < corners.length; c += 3) [corners[c + 1], corners[c + 2]] = [corners[c + 2], corners[c + 1]];
      places.push(this.primitive(primitive, corners, matrix, same, mesh.getName() || name));
    }
    const all = joined(places);
    const { positions, points } = weldEqual(all);
    this.positions.push(positions);
    const colours = this.coloursOf(parts, points, positions.length);
    this.colours.push(colours);
    const first = this.pointCount;
    this.verts.push(points.map((v) => first + v));
    this.pointCount += positions.length / 3;
  }

  private note(what: string): void {
    this.notes.set(what, (this.notes.get(what) ?? 0) + 1);
  }

  /** Vertex of each triangle corner; null for points and lines. */
  private corners(primitive: Primitive): Uint32Array | null {
    const position = primitive.getAttribute('POSITION');
    if (position === null) return null;
    const mode = primitive.getMode();
    const indices = primitive.getIndices();
    const named = indices?.getArray() as ArrayLike<number> | null | undefined;
    const listed = named ? Uint32Array.from(named) : Uint32Array.from({ length: position.getCount() }, (_, i) => i);
    if (listed.some((i) => i >= position.getCount()))
      throw new InvalidInputError(
        'INDEX_OUT_OF_RANGE',
        `a triangle names a point that is not there (there are ${position.getCount()}); write the mesh again.`,
      );
    if (mode === Primitives.Mode['TRIANGLES']) return listed.subarray(0, listed.length - (listed.length % 3)).slice();
    const strip = mode === Primitives.Mode['TRIANGLE_STRIP'];
    if (!strip && mode !== Primitives.Mode['TRIANGLE_FAN']) {
      this.note('set of points or lines');
      return null;
    }
    const out: number[] = [];
    for (let i = 2; i < listed.length; i++) {
      if (!strip) out.push(listed[0], listed[i - 1], listed[i]);
      else if (i % 2 === 0) out.push(listed[i - 2], listed[i - 1], listed[i]);
      else out.push(listed[i - 1], listed[i - 2], listed[i]);
    }
    return Uint32Array.from(out);
  }

  /** Adds a primitive's corners; @returns where each stands */
  private primitive(primitive: Primitive, corners: Uint32Array, m: Matrix, same: boolean, object: string): Float32Array {
    const position = valuesOf(primitive.getAttribute('POSITION'), 3) ?? new Float32Array(0);
    if (!position.every(Number.isFinite))
      throw new InvalidInputError('BAD_NUMBER', `a point of ${object || 'the mesh'} is not finite; write it again.`);
    const out = new Float32Array(3 * corners.length);
    corners.forEach((v, c) => {
      const [x, y, z] = [position[3 * v], position[3 * v + 1], position[3 * v + 2]];
      for (let k = 0; k < 3; k++) out[3 * c + k] = same ? position[3 * v + k] : x * m[k] + y * m[4 + k] + z * m[8 + k] + m[12 + k];
    });
    this.uvsOf(primitive, corners);
    this.normalsOf(primitive, corners, m, same);
    const number = this.sections.numberOf({ ...DEFAULT_SECTION, object, material: primitive.getMaterial()?.getName() ?? '' });
    for (let t = 0; t < corners.length / 3; t++) this.faceSections.push(number);
    return out;
  }

  private uvsOf(primitive: Primitive, corners: Uint32Array): void {
    const sets = primitive.listSemantics().filter((s) => s.startsWith('TEXCOORD_'));
    for (const set of sets) this.uvSets.add(set);
    const wanted = this.uvSet ?? sets.find((s) => s === 'TEXCOORD_0') ?? sets.at(0);
    const uvs = wanted === undefined ? null : valuesOf(primitive.getAttribute(wanted), 2);
    const out = new Float32Array(2 * corners.length).fill(NaN);
    if (uvs)
      corners.forEach((v, c) => {
        out[2 * c] = uvs[2 * v];
        out[2 * c + 1] = 1 - uvs[2 * v + 1];
      });
    this.cornerUvs.push(out);
  }

  private normalsOf(primitive: Primitive, corners: Uint32Array, m: Matrix, same: boolean): void {
    const normals = valuesOf(primitive.getAttribute('NORMAL'), 3);
    if (normals === null) {
      this.faceNormals.push(new Uint32Array(corners.length).fill(NO_INDEX));
      return;
    }
    const out = same ? Float32Array.from(normals) : turnedNormals(normals, m);
    const first = this.normalCount;
    this.faceNormals.push(corners.map((v) => first + v));
    this.normals.push(out);
    this.normalCount += out.length / 3;
  }

  private coloursOf(
    parts: readonly { primitive: Primitive; corners: Uint32Array }[],
    points: Uint32Array,
    length: number,
  ): Float32Array | null {
    const out = new Float32Array(length).fill(1);
    let any = false;
    let corner = 0;
    for (const { primitive, corners } of parts) {
      const colour = primitive.getAttribute('COLOR_0');
      const size = colour?.getElementSize() ?? 0;
      const values = colour && valuesOf(colour, size);
      for (const v of corners) {
        const point = points[corner++];
        if (!values) continue;
        any = true;
        for (let k = 0; k < 3; k++) out[3 * point + k] = values[size * v + k];
      }
    }
    return any ? out : null;
  }

  finish(): MeshFile {
    if (this.verts.length === 0) throw new InvalidInputError('NO_FACES', 'this glTF has no triangles; write the mesh again.');
    const positions = joined(this.positions);
    const faceVerts = joined(this.verts);
    const cornerUvs = joined(this.cornerUvs);
    const anyUvs = cornerUvs.some((x) => !Number.isNaN(x));
    if (this.uvSet !== undefined && !anyUvs)
      throw new InvalidInputError('BAD_OPTION', `there is no set of UVs named ${this.uvSet}; there are ${[...this.uvSets].join(', ') || 'none'}.`, { option: 'uv-set' }); // prettier-ignore
    const uvs = anyUvs ? shareUvs(faceVerts, cornerUvs, positions.length / 3) : null;
    const origin = localOriginOf(positions);
    const faceOffsets = Uint32Array.from({ length: faceVerts.length / 3 + 1 }, (_, f) => 3 * f);
    const warnings: string[] = [];
    if (this.transformed > 0) warnings.push(`The transforms of ${this.transformed} of ${this.meshes} meshes were applied.`);
    if (this.meshes > 1) warnings.push(`${this.meshes} meshes were joined into one, each an object of its own.`);
    if (this.notes.size > 0) warnings.push(`Passed over: ${[...this.notes].map(([what, n]) => `${n} ${what}`).join('; ')}.`);
    const mesh: PolyMesh = {
      positions: aroundOrigin(positions, origin),
      origin,
      faceOffsets,
      faceVerts,
      uvs: uvs?.uvs ?? null,
      faceUvs: uvs?.faceUvs ?? null,
      normals: this.normalCount > 0 ? joined(this.normals) : null,
      faceNormals: this.normalCount > 0 ? joined(this.faceNormals) : null,
      colors: this.colours.some((c) => c !== null) ? joined(this.colours.map((c, i) => c ?? new Float32Array(this.positions[i].length).fill(1))) : null, // prettier-ignore
      sections: this.sections.list,
      faceSections: Uint16Array.from(this.faceSections),
      creases: null,
    };
    const sets = [...this.uvSets].sort();
    return { mesh, warnings, scene: { metresPerUnit: 1, up: 'y' }, ...(sets.length > 1 ? { uvSets: sets } : {}) };
  }
}

/** An accessor's values as floats, whole numbers turned into shares where it says so. */
function valuesOf(accessor: Accessor | null, size: number): Float32Array | null {
  const array = accessor?.getArray() as ArrayLike<number> | null | undefined;
  if (!accessor || !array || accessor.getElementSize() !== size) return null;
  if (array instanceof Float32Array) return array;
  const out = new Float32Array(array.length);
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) {
    accessor.getElement(i, element);
    for (let k = 0; k < size; k++) out[size * i + k] = element[k];
  }
  return out;
}

function joined<T extends Float32Array | Uint32Array>(parts: readonly T[]): T {
  if (parts.length === 1) return parts[0];
  const out = parts[0].constructor === Float32Array ? new Float32Array(total(parts)) : new Uint32Array(total(parts));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out as T;
}
const total = (parts: readonly { readonly length: number }[]): number => parts.reduce((sum, p) => sum + p.length, 0);
