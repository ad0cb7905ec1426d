import { InvalidInputError } from '../runtime/errors';

/** Marks a corner that has no UV or no normal. */
export const NO_INDEX = 0xffffffff;

/** What a file says about a run of faces; kept so that writing gives back what was read. */
export interface Section {
  readonly object: string;
  readonly group: string;
  readonly material: string;
  readonly smoothing: string;
}

/** Edges and points that refinement keeps sharp: for as many levels as their sharpness says, or for ever (Infinity). */
export interface Creases {
  readonly edges: Uint32Array; // 2 K, the points at both ends
  readonly edgeSharpness: Float32Array; // K, above 0
  readonly points: Uint32Array; // M
  readonly pointSharpness: Float32Array; // M, above 0
}

/** Sharpness at or above this holds at every level (as in OpenSubdiv): it is kept as Infinity, and written so. */
export const EVER_SHARP = 10;

/** Polygons of any size with face-varying UVs. Struct of arrays; P points, F faces, C corners. */
export interface PolyMesh {
  readonly positions: Float32Array; // 3 P, scene units, counted from `origin`
  /** Where the points stand in the scene: zero, but for meshes far from it, whose points single precision could not hold. */
  readonly origin: readonly [number, number, number];
  readonly faceOffsets: Uint32Array; // F + 1
  readonly faceVerts: Uint32Array; // C
  readonly uvs: Float32Array | null; // 2 T
  readonly faceUvs: Uint32Array | null; // C, NO_INDEX where a corner has none
  readonly normals: Float32Array | null; // 3 N
  readonly faceNormals: Uint32Array | null; // C
  readonly colors: Float32Array | null; // 3 P, as stored
  readonly sections: readonly Section[];
  readonly faceSections: Uint16Array; // F
  readonly creases: Creases | null;
}

/** A mesh's surface alone. */
export type Faces = Pick<PolyMesh, 'positions' | 'faceOffsets' | 'faceVerts'>;

export const DEFAULT_SECTION: Section = { object: '', group: '', material: '', smoothing: '' };

export const pointCount = (mesh: PolyMesh): number => mesh.positions.length / 3;
export const faceCount = (mesh: PolyMesh): number => mesh.faceOffsets.length - 1;
export const cornerCount = (mesh: PolyMesh): number => mesh.faceVerts.length;

/** A mesh from plain parts; the rest is filled with defaults. Arrays are kept, not copied. */
export function polyMesh(parts: Pick<PolyMesh, 'positions' | 'faceOffsets' | 'faceVerts'> & Partial<PolyMesh>): PolyMesh {
  return {
    origin: [0, 0, 0],
    uvs: null,
    faceUvs: null,
    normals: null,
    faceNormals: null,
    colors: null,
    sections: [DEFAULT_SECTION],
    faceSections: new Uint16Array(parts.faceOffsets.length - 1),
    creases: null,
    ...parts,
  };
}

/** Whether each corner has its UV. */
export function hasCompleteUvs(mesh: PolyMesh): boolean {
  return mesh.faceUvs !== null && mesh.faceUvs.length > 0 && !mesh.faceUvs.includes(NO_INDEX);
}

/** @throws InvalidInputError NO_UVS, NO_FACES */
export function requireUvs(mesh: PolyMesh, what = 'The low mesh'): { uvs: Float32Array; faceUvs: Uint32Array } {
  if (faceCount(mesh) === 0) throw new InvalidInputError('NO_FACES', `${what} has no faces; write it again with its polygons.`);
  if (mesh.uvs === null || mesh.faceUvs === null)
    throw new InvalidInputError('NO_UVS', `${what} has no UVs, and a map needs them; unwrap the light mesh and bring it in again.`);
  const bare = mesh.faceUvs.indexOf(NO_INDEX);
  if (bare >= 0)
    throw new InvalidInputError(
      'NO_UVS',
      `${what} has faces without UVs (the first is face ${faceOfCorner(mesh, bare)}); unwrap them too.`,
      {
        face: faceOfCorner(mesh, bare),
      },
    );
  return { uvs: mesh.uvs, faceUvs: mesh.faceUvs };
}

/** Face that owns a corner, by bisection. */
export function faceOfCorner(mesh: PolyMesh, corner: number): number {
  let lo = 0;
  let hi = faceCount(mesh) - 1;
  while (lo < hi) {
    const mid = (lo + hi + 1) >> 1;
    if (mesh.faceOffsets[mid] <= corner) lo = mid;
    else hi = mid - 1;
  }
  return lo;
}

/** Faces for which something holds, ascending. */
export function facesWhere(mesh: PolyMesh, test: (face: number) => boolean): Uint32Array {
  const F = faceCount(mesh);
  const marked = new Uint8Array(F);
  let count = 0;
  for (let f = 0; f < F; f++) {
    if (!test(f)) continue;
    marked[f] = 1;
    count++;
  }
  const out = new Uint32Array(count);
  for (let f = 0, i = 0; i < count; f++) if (marked[f] === 1) out[i++] = f;
  return out;
}
