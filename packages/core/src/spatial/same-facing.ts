import { InvalidInputError } from '../runtime/errors';
import type { Bvh } from './bvh';
import { ClosestQuery } from './closest';
import type { Facing } from './whole-facing';
import { facesAlikeAsAWhole } from './whole-facing';

/** Places that are looked at: what is asked is which way nearly all of a surface faces. */
const SAMPLES = 2000;
/** Above this share that face against each other one of the two is inside out; sheets of two sides stay at about a half. */
const NEARLY_ALL = 0.9;

/** Refuses a sculpt that is turned inside out against its light mesh, where rays would find nothing and normals would point the wrong way.
 *  @param tree of the sculpt  @throws InvalidInputError INSIDE_OUT */
export function requireSameFacing({ positions: p, normals: n }: Facing, tree: Bvh): void {
  const query = new ClosestQuery(tree);
  const c = tree.verts; // corners in leaf order
  const step = Math.max(1, Math.floor(p.length / 3 / SAMPLES));
  let looked = 0;
  let against = 0;
  for (let i = 0; i < p.length; i += 3 * step) {
    if (!query.find(p[i], p[i + 1], p[i + 2])) continue;
    const o = 9 * query.slot;
    const x1 = c[o + 3] - c[o], y1 = c[o + 4] - c[o + 1], z1 = c[o + 5] - c[o + 2]; // prettier-ignore
    const x2 = c[o + 6] - c[o], y2 = c[o + 7] - c[o + 1], z2 = c[o + 8] - c[o + 2]; // prettier-ignore
    const along = (y1 * z2 - z1 * y2) * n[i] + (z1 * x2 - x1 * z2) * n[i + 1] + (x1 * y2 - y1 * x2) * n[i + 2];
    looked++;
    if (along < 0) against++;
  }
  // the nearest part of a folded sculpt may be the underside of a fold
  if (looked > 0 && against / looked > NEARLY_ALL && !facesAlikeAsAWhole({ positions: p, normals: n }, c))
    throw new InvalidInputError(
      'INSIDE_OUT',
      `The sculpt faces the other way than the light mesh at ${Math.round((100 * against) / looked)} % of the places looked at: the faces of one of the two are turned inside out. Turn all of its faces round and bring it in again.`,
    );
}
