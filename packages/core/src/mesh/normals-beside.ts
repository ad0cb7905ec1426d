import type { RunControl } from '../runtime/progress';
import type { Kernel, Threads } from '../runtime/threads';
import { beside, commonMemory, placeF32 } from '../runtime/threads';
import type { Faces } from './normals';
import { vertexNormals } from './normals';

export const pointNormals: Kernel<null, Faces, Float32Array> = {
  name: 'point-normals',
  run: (_, mesh) => placeF32(vertexNormals(mesh), commonMemory),
};

/** `vertexNormals` on another thread, while the caller goes on with something else; on its own where there is no other.
 *  A failure is told to who awaits it, and to nobody where the caller fails first. @throws CancelledError */
export function normalsBeside({ positions, faceOffsets, faceVerts }: Faces, threads: Threads, control?: RunControl): Promise<Float32Array> {
  // the rest of a mesh need not be copied for it
  const mesh = { positions, faceOffsets, faceVerts };
  return threads.count < 2 ? Promise.resolve(vertexNormals(mesh)) : beside(pointNormals, null, mesh, threads, control);
}
