import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, NO_INDEX, pointCount } from '../mesh/poly-mesh';
import { ByteWriter } from '../runtime/growable';
import { throwIfAborted } from '../runtime/progress';
import type { WriteMeshOptions } from './mesh-format';
import { normalsOfPoints } from './point-normals';

const REPORT = 1 << 20;
const WHOLE = 255;

/** Writes a mesh as binary PLY, little-endian: points (double precision where the mesh stands far from zero), polygons, UVs of corners
 *  (`texcoord`), normals where a point has one, colours (bytes where they are whole), and each face's group with its name in a comment. */
export function writePly(mesh: PolyMesh, { control }: WriteMeshOptions = {}): Uint8Array {
  const { positions, origin, colors, uvs, faceUvs, faceOffsets, faceVerts, sections, faceSections } = mesh;
  const P = pointCount(mesh);
  const F = faceCount(mesh);
  const far = origin.some((x) => x !== 0);
  const normals = normalsOfPoints(mesh);
  const asBytes = colors?.every((c) => c >= 0 && c <= 1 && Math.fround(Math.round(c * WHOLE) / WHOLE) === c) === true;
  const groups = [...new Set(sections.map((s) => s.group))];
  const grouped = groups.length > 1 || groups[0] !== '';
  const withUvs = uvs !== null && faceUvs !== null;
  const many = mesh.faceOffsets.some((o, f) => f > 0 && o - mesh.faceOffsets[f - 1] > WHOLE);
  const counted = many ? 'uint' : 'uchar';
  const properties = (type: string, names: readonly string[]): string[] => names.map((name) => `property ${type} ${name}`);
  const head = [
    'ply',
    'format binary_little_endian 1.0',
    ...(grouped ? groups.map((name, i) => `comment group ${i} ${name.replaceAll(/\s+/g, ' ')}`) : []),
    `element vertex ${P}`,
    ...properties(far ? 'double' : 'float', ['x', 'y', 'z']),
    ...(normals ? properties('float', ['nx', 'ny', 'nz']) : []),
    ...(colors ? properties(asBytes ? 'uchar' : 'float', ['red', 'green', 'blue']) : []),
    `element face ${F}`,
    `property list ${counted} uint vertex_indices`,
    ...(withUvs ? [`property list ${counted} float texcoord`] : []),
    ...(grouped ? ['property int group'] : []),
    'end_header\n',
  ];
  const out = new LittleEndian();
  out.bytes.text(head.join('\n'));
  for (let v = 0; v < P; v++) {
    if ((v & (REPORT - 1)) === 0) throwIfAborted(control);
    for (let i = 3 * v; i < 3 * v + 3; i++)
      if (far) out.f64(origin[i - 3 * v] + positions[i]);
      else out.f32(positions[i]);
    if (normals) for (let i = 3 * v; i < 3 * v + 3; i++) out.f32(normals[i]);
    if (colors)
      for (let i = 3 * v; i < 3 * v + 3; i++)
        if (asBytes) out.u8(Math.round(colors[i] * WHOLE));
        else out.f32(colors[i]);
  }
  const count = many ? (n: number) => out.u32(n) : (n: number) => out.u8(n);
  const groupOf = sections.map((s) => groups.indexOf(s.group));
  for (let f = 0; f < F; f++) {
    if ((f & (REPORT - 1)) === 0) {
      throwIfAborted(control);
      control?.onProgress?.(f / F, 'writing');
    }
    const from = faceOffsets[f];
    const to = faceOffsets[f + 1];
    count(to - from);
    for (let c = from; c < to; c++) out.u32(faceVerts[c]);
    if (withUvs) {
      const bare = faceUvs.subarray(from, to).includes(NO_INDEX);
      count(bare ? 0 : 2 * (to - from));
      if (!bare)
        for (let c = from; c < to; c++) {
          out.f32(uvs[2 * faceUvs[c]]);
          out.f32(uvs[2 * faceUvs[c] + 1]);
        }
    }
    if (grouped) out.u32(groupOf[faceSections[f]]);
  }
  control?.onProgress?.(1, 'writing');
  return out.bytes.finish();
}

/** Numbers as bytes, lowest first. */
class LittleEndian {
  readonly bytes = new ByteWriter();
  private readonly one = new DataView(new ArrayBuffer(8));
  private readonly oneBytes = new Uint8Array(this.one.buffer);
  private put(n: number): void {
    const { bytes, oneBytes } = this;
    const to = bytes.reserve(n);
    for (let k = 0; k < n; k++) to[bytes.length + k] = oneBytes[k];
    bytes.length += n;
  }
  u8(x: number): void {
    this.bytes.byte(x);
  }
  u32(x: number): void {
    this.one.setUint32(0, x, true);
    this.put(4);
  }
  f32(x: number): void {
    this.one.setFloat32(0, x, true);
    this.put(4);
  }
  f64(x: number): void {
    this.one.setFloat64(0, x, true);
    this.put(8);
  }
}
