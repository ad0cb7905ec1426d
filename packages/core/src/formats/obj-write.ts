import type { PolyMesh, Section } from '../mesh/poly-mesh';
import { faceCount, NO_INDEX, pointCount } from '../mesh/poly-mesh';
import { ByteWriter } from '../runtime/growable';
import { throwIfAborted } from '../runtime/progress';
import { writeFloat32, writeInteger } from './decimal';
import type { WriteMeshOptions } from './mesh-format';

const DIRECTIVES: readonly (readonly [keyof Section, string])[] = [
  ['object', 'o'],
  ['group', 'g'],
  ['material', 'usemtl'],
  ['smoothing', 's'],
];

/** Writes a mesh as OBJ: same point order, polygons, UVs, normals, groups and names as given; first line states the counts
 *  so that a cut-off copy is noticed. Floats have the fewest digits that read back equal; points stand where
 *  they stand in the scene. */
export function writeObj(mesh: PolyMesh, { control }: WriteMeshOptions = {}): Uint8Array {
  const out = new ByteWriter();
  out.text(`# Estampe: ${pointCount(mesh)} points, ${faceCount(mesh)} faces\n`);
  const { positions: p, origin, colors, uvs, normals } = mesh;
  const far = origin.some((x) => x !== 0);
  for (let i = 0; i < p.length; i += 3) {
    if ((i & 0xfffff) === 0) throwIfAborted(control);
    out.byte(118);
    if (far) for (let k = 0; k < 3; k++) out.text(` ${origin[k] + p[i + k]}`);
    else tuple(out, p, i, 3);
    if (colors) tuple(out, colors, i, 3);
    out.byte(10);
  }
  if (uvs) lines(out, 'vt', uvs, 2);
  if (normals) lines(out, 'vn', normals, 3);
  let last: Section = { object: '', group: '', material: '', smoothing: '' };
  let lastIndex = -1;
  for (let f = 0; f < faceCount(mesh); f++) {
    if (mesh.faceSections[f] !== lastIndex) {
      lastIndex = mesh.faceSections[f];
      const section = mesh.sections[lastIndex];
      for (const [key, word] of DIRECTIVES) if (section[key] !== last[key]) out.text(`${word} ${section[key]}\n`);
      last = section;
    }
    face(out, mesh, f);
  }
  control?.onProgress?.(1, 'writing');
  return out.finish();
}

function tuple(out: ByteWriter, values: Float32Array, at: number, n: number): void {
  for (let k = 0; k < n; k++) {
    out.byte(32);
    writeFloat32(out, values[at + k]);
  }
}

function lines(out: ByteWriter, word: string, values: Float32Array, n: number): void {
  for (let i = 0; i < values.length; i += n) {
    out.text(word);
    tuple(out, values, i, n);
    out.byte(10);
  }
}

function face(out: ByteWriter, { faceOffsets, faceVerts, faceUvs, faceNormals }: PolyMesh, f: number): void {
  out.byte(102);
  for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
    out.byte(32);
    writeInteger(out, faceVerts[c] + 1);
    const uv = faceUvs === null ? NO_INDEX : faceUvs[c];
    const normal = faceNormals === null ? NO_INDEX : faceNormals[c];
    if (uv === NO_INDEX && normal === NO_INDEX) continue;
    out.byte(47);
    if (uv !== NO_INDEX) writeInteger(out, uv + 1);
    if (normal === NO_INDEX) continue;
    out.byte(47);
    writeInteger(out, normal + 1);
  }
  out.byte(10);
}
