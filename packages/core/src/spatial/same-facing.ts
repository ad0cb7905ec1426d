import { InvalidInputError } from '../runtime/errors';
import type { Bvh } from './bvh';
import { ClosestQuery } from './closest';

/** Places that are looked at: what is asked is which way nearly all of a surface faces. */
const SAMPLES = 2000;
/** Above this share that face against each other one of the two is inside out; sheets of two sides stay at about a half. */
const NEARLY_ALL = 0.9;

interface Facing {
  readonly positions: Float32Array; // 3 P
  readonly normals: Float32Array; // 3 P, of any length
}

/** Refuses a sculpt that is turned inside out against its light mesh, where rays would find nothing and normals would point the wrong way.
 *  @param verts points of the tree's triangles, 3 T, of `sculpt`  @throws InvalidInputError INSIDE_OUT */
export function requireSameFacing({ positions: p, normals: n }: Facing, tree: Bvh, sculpt: Float32Array, verts: Uint32Array): void {
  const query = new ClosestQuery(tree);
  const step = Math.max(1, Math.floor(p.length / 3 / SAMPLES));
  let looked = 0;
  let against = 0;
  for (let i = 0; i < p.length; i += 3 * step) {
    if (!query.find(p[i], p[i + 1], p[i + 2])) continue;
    const t = 3 * query.triangle;
    const a = 3 * verts[t], b = 3 * verts[t + 1], c = 3 * verts[t + 2]; // prettier-ignore
    const x1 = sculpt[b] - sculpt[a], y1 = sculpt[b + 1] - sculpt[a + 1], z1 = sculpt[b + 2] - sculpt[a + 2]; // prettier-ignore
    const x2 = sculpt[c] - sculpt[a], y2 = sculpt[c + 1] - sculpt[a + 1], z2 = sculpt[c + 2] - sculpt[a + 2]; // prettier-ignore
    const along = (y1 * z2 - z1 * y2) * n[i] + (z1 * x2 - x1 * z2) * n[i + 1] + (x1 * y2 - y1 * x2) * n[i + 2];
    looked++;
    if (along < 0) against++;
  }
  if (looked > 0 && against / looked > NEARLY_ALL)
    throw new InvalidInputError(
      'INSIDE_OUT',
      `The sculpt faces the other way than the light mesh at ${Math.round((100 * against) / looked)} % of the places looked at: the faces of one of the two are turned inside out. Turn all of its faces round and bring it in again.`,
    );
}
