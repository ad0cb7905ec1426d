import type { RunControl } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { beside, commonMemory } from '../runtime/threads';
import type { Faces } from './poly-mesh';
import { vertexNormals } from './normals';

export const pointNormals: Kernel<null, Faces, Float32Array> = {
  name: 'point-normals',
  run: (_, mesh) => vertexNormals(mesh, commonMemory),
};

/** `vertexNormals` on another thread, while the caller goes on with something else. @throws CancelledError */
export const normalsBeside = (
  { positions, faceOffsets, faceVerts }: Faces,
  threads: Threads,
  control?: RunControl,
): Promise<Float32Array> =>
  // the rest of a mesh need not be copied for it
  beside(pointNormals, null, { positions, faceOffsets, faceVerts }, threads, control);
