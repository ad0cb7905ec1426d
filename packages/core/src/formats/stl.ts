import { aroundOrigin, localOriginOf } from '../mesh/local-origin';
import type { PolyMesh } from '../mesh/poly-mesh';
import { polyMesh } from '../mesh/poly-mesh';
import { surfaceVerts } from '../mesh/triangulate';
import { InvalidInputError } from '../runtime/errors';
import { decodeUtf8, GrowableF32 } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { plainBytes } from './bytes';
import type { MeshFile, ReadMeshOptions, WriteMeshOptions } from './mesh-format';
import { NO_SCENE } from './mesh-format';
import { TextScanner } from './text-scanner';
import { weldEqual } from './welded-points';

/** A binary STL: 80 bytes of anything, the count, then for each triangle a normal, three points and two bytes. */
const HEAD = 84;
const TRIANGLE = 50;
const REPORT = 1 << 20;

/** Whether bytes are an STL: text that starts with `solid` and soon says `facet`, or binary with just as many bytes as its count says. */
export function isStl(head: Uint8Array, size: number): boolean {
  if (head.length < 6) return false;
  const text = decodeUtf8(head, 0, Math.min(head.length, 1024));
  return /^\s*solid\b/.test(text) ? /\bfacet\b|\bendsolid\b/.test(text) || isBinary(head, size) : isBinary(head, size);
}
const isBinary = (head: Uint8Array, size: number): boolean => size >= HEAD + TRIANGLE && size === HEAD + TRIANGLE * triangleCount(head);
const triangleCount = (bytes: Uint8Array): number =>
  bytes.length < HEAD ? 0 : new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(80, true);

/** Reads an STL of text or binary. Points at exactly the same place are joined; the normals and colours of triangles are passed over.
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, BAD_NUMBER with the line or face, NO_FACES */
export function readStl(given: Uint8Array, { control }: ReadMeshOptions = {}): MeshFile {
  const bytes = plainBytes(given);
  const places = isBinary(bytes, bytes.length) ? binaryPlaces(bytes, control) : textPlaces(bytes, control);
  if (places.length === 0) throw new InvalidInputError('NO_FACES', 'this STL has no triangles; write the mesh again.');
  const { positions, points } = weldEqual(places);
  const origin = localOriginOf(positions);
  const faceOffsets = new Uint32Array(points.length / 3 + 1);
  for (let f = 0; f < faceOffsets.length; f++) faceOffsets[f] = 3 * f;
  const far = origin.some((x) => x !== 0);
  return {
    mesh: polyMesh({ positions: far ? aroundOrigin(positions, origin) : positions, origin, faceOffsets, faceVerts: points }),
    warnings: [],
    scene: NO_SCENE,
  };
}

function binaryPlaces(bytes: Uint8Array, control: RunControl | undefined): Float32Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const T = triangleCount(bytes);
  const out = new Float32Array(9 * T);
  for (let t = 0; t < T; t++) {
    if ((t & (REPORT - 1)) === 0) {
      throwIfAborted(control);
      control?.onProgress?.(t / T, 'reading');
    }
    for (let k = 0; k < 9; k++) {
      const x = view.getFloat32(HEAD + TRIANGLE * t + 12 + 4 * k, true);
      if (!(Math.abs(x) < 3.5e38))
        throw new InvalidInputError('BAD_NUMBER', `triangle ${t} of this STL has the coordinate ${x}; write the mesh again.`, { face: t });
      out[9 * t + k] = x;
    }
  }
  return out;
}

function textPlaces(bytes: Uint8Array, control: RunControl | undefined): Float32Array {
  const out = new GrowableF32();
  const scan = new TextScanner(bytes);
  let nextReport = 0;
  scan.skipSpace();
  if (scan.word() !== 'solid')
    scan.fail(
      'NOT_THIS_FORMAT',
      'this is not an STL (its size is not that of its triangles, nor does it start with solid); write the mesh again.',
    );
  scan.restOfLine();
  for (;;) {
    scan.skipSpace();
    if (scan.pos >= bytes.length) scan.fail('TRUNCATED', 'this STL ends without endsolid; it was cut off, so write or copy it again.');
    if (scan.pos >= nextReport) {
      throwIfAborted(control);
      control?.onProgress?.(scan.pos / bytes.length, 'reading');
      nextReport = scan.pos + (1 << 22);
    }
    const word = scan.word().toLowerCase();
    if (word === 'endsolid') {
      scan.restOfLine();
      scan.skipSpace();
      // several solids in one file are one mesh
      if (scan.pos >= bytes.length) break;
      continue;
    }
    if (word === 'solid') scan.restOfLine();
    else if (word === 'facet') {
      scan.restOfLine();
      expectWords(scan, 'outer', 'loop');
      for (let corner = 0; corner < 3; corner++) {
        expectWords(scan, 'vertex');
        for (let k = 0; k < 3; k++) {
          scan.skipSpace();
          out.push(scan.numberHere('a point'));
        }
      }
      expectWords(scan, 'endloop', 'endfacet');
    } else scan.fail('NOT_THIS_FORMAT', `'${word}' stands where an STL has facet; write the mesh again.`);
  }
  return out.finish();
}

function expectWords(scan: TextScanner, ...words: readonly string[]): void {
  for (const wanted of words) {
    scan.skipSpace();
    const word = scan.word().toLowerCase();
    if (word === wanted) continue;
    if (scan.pos >= scan.b.length)
      scan.fail('TRUNCATED', 'this STL ends in the middle of a triangle; it was cut off, so write or copy it again.');
    scan.fail(
      'NOT_THIS_FORMAT',
      `'${word}' stands where this STL should have ${wanted}; only triangles can be read, so write the mesh again.`,
    );
  }
}

/** Writes a mesh as binary STL: its triangles by the one rule, each with its normal; nothing else is kept. */
export function writeStl(mesh: PolyMesh, { control }: WriteMeshOptions = {}): Uint8Array {
  const verts = surfaceVerts(mesh);
  const T = verts.length / 3;
  const out = new Uint8Array(HEAD + TRIANGLE * T);
  const view = new DataView(out.buffer);
  view.setUint32(80, T, true);
  const corner = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  for (let t = 0; t < T; t++) {
    if ((t & (REPORT - 1)) === 0) {
      throwIfAborted(control);
      control?.onProgress?.(t / T, 'writing');
    }
    for (let i = 0; i < 9; i++) corner[i] = mesh.origin[i % 3] + mesh.positions[3 * verts[3 * t + Math.floor(i / 3)] + (i % 3)];
    const [ax, ay, az, bx, by, bz, cx, cy, cz] = corner;
    const normal = [
      (by - ay) * (cz - az) - (bz - az) * (cy - ay),
      (bz - az) * (cx - ax) - (bx - ax) * (cz - az),
      (bx - ax) * (cy - ay) - (by - ay) * (cx - ax),
    ];
    const length = Math.hypot(...normal) || 1;
    const at = HEAD + TRIANGLE * t;
    for (let k = 0; k < 3; k++) view.setFloat32(at + 4 * k, normal[k] / length, true);
    for (let k = 0; k < 9; k++) view.setFloat32(at + 12 + 4 * k, corner[k], true);
  }
  return out;
}
