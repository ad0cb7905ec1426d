import { keepFaces } from '../mesh/keep-faces';
import type { PolyMesh } from '../mesh/poly-mesh';
import { pointCount } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { levelZero, refineOnce } from './refine';

/** The part of a stack that stands over some faces of its light mesh, level by level; points at the border are kept. What a level has at its points
 *  (places, colours) is what the whole stack had there, found by the order of corners, which levels of one stack share.
 *  @param levels from the light mesh up, in the order of refinement
 *  @throws CancelledError */
export function splitStack(levels: readonly PolyMesh[], kept: (face: number) => boolean, control?: RunControl): PolyMesh[] {
  const [low, ...finer] = levels;
  const cut = keepFaces(low, kept);
  let level = levelZero(cut);
  let own = Uint8Array.from({ length: low.faceOffsets.length - 1 }, (_, f) => Number(kept(f)));
  let offsets = low.faceOffsets;
  return [
    cut,
    ...finer.map((whole, k) => {
      throwIfAborted(control);
      control?.onProgress?.(k / finer.length, 'splitting the levels');
      level = refineOnce(level);
      // a corner of one level is a face of the next
      const next = new Uint8Array(offsets[offsets.length - 1]);
      for (let f = 0; f < own.length; f++) if (own[f] === 1) next.fill(1, offsets[f], offsets[f + 1]);
      own = next;
      offsets = whole.faceOffsets;
      return withPlacesOf(whole, own, level.mesh);
    }),
  ];
}

/** A level of the part with the points of the whole level at the same corners. */
function withPlacesOf(whole: PolyMesh, own: Uint8Array, part: PolyMesh): PolyMesh {
  const from = new Uint32Array(pointCount(part));
  let at = 0;
  for (let f = 0; f < own.length; f++)
    if (own[f] === 1) for (let c = whole.faceOffsets[f]; c < whole.faceOffsets[f + 1]; c++) from[part.faceVerts[at++]] = whole.faceVerts[c];
  const placed = (values: Float32Array): Float32Array => {
    const out = new Float32Array(3 * from.length);
    for (let i = 0; i < from.length; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = values[3 * from[i] + k];
    return out;
  };
  return { ...part, positions: placed(whole.positions), colors: whole.colors && placed(whole.colors), origin: whole.origin };
}
