import type { FaceGraph } from './face-graph';
import { TRIAL } from './flatten';
import type { IslandLimits, NoIsland } from './lay-flat';
import { isIsland, layFlat } from './lay-flat';

/** What came of laying charts flat, so that nothing is tried twice: several ways of joining begin with the same seams. */
export class Trials {
  private readonly known = new Map<string, number | NoIsland>();

  /** @returns the stretch, or why the faces are no island. @see layFlat */
  layFlat(graph: FaceGraph, faces: Uint32Array, isSeam: (edge: number) => boolean, limits: IslandLimits): number | NoIsland {
    const key = keyOf(graph, faces, isSeam);
    let found = this.known.get(key);
    if (found === undefined) {
      const flat = layFlat(graph, faces, isSeam, limits, TRIAL);
      found = isIsland(flat) ? flat.stretch : flat;
      this.known.set(key, found);
    }
    return found;
  }
}

/** Two 32 bit hashes (FNV-1a) of the faces and of the seams between them, and their numbers. */
function keyOf({ mesh, edges, edgeFaces }: FaceGraph, faces: Uint32Array, isSeam: (edge: number) => boolean): string {
  const own = new Set(faces);
  let [a, b, seams] = [0x811c9dc5, 0x1b873593, 0];
  const mix = (n: number): void => {
    a = Math.imul(a ^ n, 0x01000193);
    b = Math.imul(b ^ (n * 31 + 7), 0x85ebca6b);
    b ^= b >>> 15;
  };
  for (const f of faces) {
    mix(f);
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      const e = edges.cornerEdges[c];
      if (!isSeam(e) || !own.has(edgeFaces[2 * e]) || !own.has(edgeFaces[2 * e + 1])) continue;
      mix(~e);
      seams++;
    }
  }
  return `${a} ${b} ${faces.length} ${seams}`;
}
