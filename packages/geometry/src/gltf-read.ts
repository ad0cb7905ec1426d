import type { MeshFile, PolyMesh, ReadMeshOptions } from '@estampe/core';
import {
  aroundOrigin,
  DEFAULT_SECTION,
  InvalidInputError,
  localOriginOf,
  NO_INDEX,
  SectionTable,
  shareUvs,
  throwIfAborted,
  weldEqual,
} from '@estampe/core';
import type { Accessor, Node, Primitive } from '@gltf-transform/core';
import { Logger, Primitive as Primitives, WebIO } from '@gltf-transform/core';
import { checkGltf } from './gltf-check';

const GLB = 0x46546c67;
const JSON_CHUNK = 0x4e4f534a;
const GLB_HEAD = 20;

/** Reads the triangles of a glTF 2.0 (GLB, or JSON with its data inside): every node's mesh with its transform applied, points of one mesh that
 *  stand at the same place joined, V turned so that it runs upwards. glTF means metres, Y up.
 *  @throws InvalidInputError with what is wrong; UnsupportedError for compressed data and data in other files */
export async function readGltf(bytes: Uint8Array, { control, uvSet }: ReadMeshOptions = {}): Promise<MeshFile> {
  const binary = bytes.length >= GLB_HEAD && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === GLB;
  const json = parse(binary ? jsonOfGlb(bytes) : bytes);
  checkGltf(json, bytes.length);
  const io = new WebIO().setLogger(new Logger(Logger.Verbosity.SILENT));
  const meshes = new GltfMeshes(uvSet);
  try {
    const document = binary ? await io.readBinary(bytes) : await io.readJSON({ json: json as never, resources: {} });
    const root = document.getRoot();
    const scene = root.getDefaultScene() ?? root.listScenes().at(0);
    const nodes: Node[] = [];
    if (scene) scene.traverse((node) => nodes.push(node));
    else nodes.push(...root.listNodes());
    for (const [i, node] of nodes.entries()) {
      throwIfAborted(control);
      control?.onProgress?.(i / nodes.length, 'reading');
      meshes.add(node);
    }
  } catch (error) {
    if (error instanceof Error && error.name.endsWith('Error') && 'code' in error) throw error;
    throw new InvalidInputError('NOT_THIS_FORMAT', `this glTF is damaged (${whatIsWrong(error).slice(0, 120)}); write it again.`);
  }
  return meshes.finish();
}

/** The library's words for what it finds; where it stumbles over what it does not look for, the engine's words say nothing to people. */
function whatIsWrong(error: unknown): string {
  if (error instanceof RangeError) return 'its nodes are nested too deeply';
  if (error instanceof TypeError) return 'it refers to a part that is not there, or names one in a way that cannot be';
  return error instanceof Error ? error.message : String(error);
}

function jsonOfGlb(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const length = view.getUint32(12, true);
  if (view.getUint32(8, true) > bytes.length || length > bytes.length - GLB_HEAD)
    throw new InvalidInputError('TRUNCATED', 'this GLB is shorter than it says; it was cut off, so write or copy it again.');
  if (view.getUint32(4, true) !== 2 || view.getUint32(16, true) !== JSON_CHUNK)
    throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not a GLB of glTF 2.0; write the mesh again.');
  return bytes.subarray(GLB_HEAD, GLB_HEAD + length);
}

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

  add(node: Node): void {
    const mesh = node.getMesh();
    if (mesh === null) return;
    if (node.getSkin() !== null) this.note('skin (the mesh stands as it was bound)');
    const matrix = node.getWorldMatrix();
    if (!matrix.every(Number.isFinite))
      throw new InvalidInputError('BAD_NUMBER', `the transform of ${node.getName()} is not finite; write it again.`);
    const same = matrix.every((x, i) => x === (i % 5 === 0 ? 1 : 0));
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
      places.push(this.primitive(primitive, corners, matrix, same, mesh.getName() || node.getName()));
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
  private primitive(primitive: Primitive, corners: Uint32Array, m: readonly number[], same: boolean, object: string): Float32Array {
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

  private normalsOf(primitive: Primitive, corners: Uint32Array, m: readonly number[], same: boolean): void {
    const normals = valuesOf(primitive.getAttribute('NORMAL'), 3);
    if (normals === null) {
      this.faceNormals.push(new Uint32Array(corners.length).fill(NO_INDEX));
      return;
    }
    // normals turn with the cofactors of the matrix, which a mirroring one points inwards
    const side = determinant(m) < 0 ? -1 : 1;
    const cof = (a: number, b: number, c: number, d: number): number => m[a] * m[b] - m[c] * m[d];
    const n = [cof(5, 10, 9, 6), cof(8, 6, 4, 10), cof(4, 9, 8, 5), cof(9, 2, 1, 10), cof(0, 10, 8, 2), cof(8, 1, 0, 9), cof(1, 6, 5, 2), cof(4, 2, 0, 6), cof(0, 5, 4, 1)]; // prettier-ignore
    const out = Float32Array.from(normals);
    if (!same)
      for (let i = 0; i < out.length; i += 3) {
        const t = [0, 1, 2].map((k) => n[k] * normals[i] + n[3 + k] * normals[i + 1] + n[6 + k] * normals[i + 2]);
        const length = side * Math.hypot(...t) || 1;
        for (let k = 0; k < 3; k++) out[i + k] = t[k] / length;
      }
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

const determinant = (m: readonly number[]): number =>
  m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8]);
