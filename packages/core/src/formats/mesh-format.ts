import type { PolyMesh } from '../mesh/poly-mesh';
import type { BoundaryRule, UvRule } from '../mesh/surface-rules';
import type { RunControl } from '../runtime/progress';
import type { Allocate } from '../runtime/threads';
import type { FileBytes } from './byte-window';

/** What a file says about the scene that its mesh stands in; null where it says nothing. */
export interface SceneFacts {
  /** Metres that one unit of length stands for. */
  readonly metresPerUnit: number | null;
  readonly up: 'y' | 'z' | null;
  /** Rules of refinement, where it says them. */
  readonly boundary?: BoundaryRule | undefined;
  readonly uv?: UvRule | undefined;
}
export const NO_SCENE: SceneFacts = { metresPerUnit: null, up: null };

/** A mesh as it was read, and what was passed over. */
export interface MeshFile {
  readonly mesh: PolyMesh;
  readonly warnings: readonly string[];
  readonly scene: SceneFacts;
  /** Names of the sets of UVs where there are several: the first was taken unless another was asked for. */
  readonly uvSets?: readonly string[];
}

export interface ReadMeshOptions {
  readonly control?: RunControl | undefined;
  /** Which of several sets of UVs. */
  readonly uvSet?: string | undefined;
  /** UVs are asked for by nobody: a reader may leave them out. */
  readonly withoutUvs?: boolean | undefined;
  /** Where points and faces go if the reader can choose: for a mesh that other threads will see. */
  readonly allocate?: Allocate | undefined;
  /** Hears how many points and faces there will be, from a reader that knows it before it reads them. What it throws ends the reading. */
  readonly onCounts?: ((counts: { readonly points: number; readonly faces: number }) => void) | undefined;
}

export interface WriteMeshOptions {
  readonly control?: RunControl | undefined;
  readonly scene?: SceneFacts | undefined;
  /** Of the file, where its ending says which form of a format. */
  readonly name?: string | undefined;
}

/** What a format keeps of a mesh: what it holds comes back the same. */
export interface MeshHolds {
  /** Points, faces and corners in their order. */
  readonly order: boolean;
  /** Faces of more than three corners. */
  readonly polygons: boolean;
  /** Counted from zero in double precision, so that meshes far from it lose nothing. */
  readonly farAway: boolean;
  /** Of all faces or none, or of any. */
  readonly uvs: 'none' | 'complete' | 'any';
  /** One a point, or one a corner, so that hard edges stay. */
  readonly normals: 'none' | 'points' | 'corners';
  /** Of faces: groups alone, or objects, materials and smoothing too. */
  readonly groups: 'none' | 'groups' | 'all';
  readonly creases: boolean;
  readonly colours: boolean;
  readonly units: boolean;
}

/** What is known of a format without its reader: enough to choose files and to say what is lost. */
export interface MeshFormat {
  readonly name: string;
  /** Of its files, the usual one first. */
  readonly endings: readonly [string, ...string[]];
  /** Whether a file is one by its first bytes. @param size of the whole file */
  recognises(head: Uint8Array, size: number): boolean;
  readonly holds: MeshHolds;
  /** How its numbers are written; false where it is only read. */
  readonly written: 'text' | 'numbers' | false;
}

/** How a format is read and written. */
export interface MeshCodec {
  /** @throws InvalidInputError with what is wrong where */
  read(file: FileBytes, options?: ReadMeshOptions): MeshFile | Promise<MeshFile>;
  write(mesh: PolyMesh, options?: WriteMeshOptions): Uint8Array | Promise<Uint8Array>;
}
