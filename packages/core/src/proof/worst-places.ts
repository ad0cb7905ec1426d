/** A place where proof and sculpt are far apart. */
export interface WorstPlace {
  readonly position: readonly [number, number, number];
  /** Of the surface that the place lies on. */
  readonly normal: readonly [number, number, number];
  /** Scene units, or degrees for normals. On the proof signed: above 0 it stands out of the sculpt. On the sculpt: distance to the proof. */
  readonly error: number;
  readonly on: 'proof' | 'sculpt';
}

/** Points of one surface with their errors. */
export interface PlaceErrors {
  readonly on: WorstPlace['on'];
  readonly positions: Float32Array; // 3 P at least
  readonly normals: Float32Array; // 3 P
  readonly errors: Float32Array; // P at least
  readonly count: number; // P
}

/** The places with the largest errors, largest first, no two nearer to each other than `apart`. Linear in the points for each place. */
export function worstPlaces(sides: readonly PlaceErrors[], count: number, apart: number): WorstPlace[] {
  const found: WorstPlace[] = [];
  const taken = new Float64Array(3 * count);
  const isTaken = (p: Float32Array, i: number): boolean => {
    for (let t = 0; t < 3 * found.length; t += 3)
      if ((taken[t] - p[i]) ** 2 + (taken[t + 1] - p[i + 1]) ** 2 + (taken[t + 2] - p[i + 2]) ** 2 < apart ** 2) return true;
    return false;
  };
  while (found.length < count) {
    let worst = 0;
    let place: { readonly side: PlaceErrors; readonly point: number } | null = null;
    for (const side of sides) {
      const { positions, errors } = side;
      let point = -1;
      for (let i = 0; i < side.count; i++) {
        const error = Math.abs(errors[i]);
        if (!(error > worst) || isTaken(positions, 3 * i)) continue;
        worst = error;
        point = i;
      }
      if (point >= 0) place = { side, point };
    }
    if (place === null) break;
    const { on, positions: p, normals: n, errors } = place.side;
    const o = 3 * place.point;
    taken.set(p.subarray(o, o + 3), 3 * found.length);
    found.push({ on, position: [p[o], p[o + 1], p[o + 2]], normal: [n[o], n[o + 1], n[o + 2]], error: errors[place.point] });
  }
  return found;
}

/** Places that are listed, and how far apart they must be as a share of the diagonal. */
export const WORST_PLACES = 10;
export const WORST_APART = 0.02;
