import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';

/** A mesh as it was read, and what was passed over. */
export interface MeshFile {
  readonly mesh: PolyMesh;
  readonly warnings: readonly string[];
}

export interface MeshFormat {
  readonly name: string;
  /** Of its files, the usual one first. */
  readonly endings: readonly [string, ...string[]];
  /** Whether a file is one by its first bytes. */
  recognises(head: Uint8Array): boolean;
  /** @throws InvalidInputError with what is wrong where */
  read(bytes: Uint8Array, control?: RunControl): MeshFile;
  write(mesh: PolyMesh, control?: RunControl): Uint8Array;
}
