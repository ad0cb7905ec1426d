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
  while (found.length < count) {
    let worst = 0;
    let place: WorstPlace | null = null;
    for (const { on, positions: p, normals: n, errors, count: points } of sides)
      for (let i = 0; i < points; i++) {
        if (!(Math.abs(errors[i]) > worst)) continue;
        const [x, y, z] = [p[3 * i], p[3 * i + 1], p[3 * i + 2]];
        if (found.some(({ position: q }) => (q[0] - x) ** 2 + (q[1] - y) ** 2 + (q[2] - z) ** 2 < apart ** 2)) continue;
        worst = Math.abs(errors[i]);
        place = { on, position: [x, y, z], normal: [n[3 * i], n[3 * i + 1], n[3 * i + 2]], error: errors[i] };
      }
    if (place === null) break;
    found.push(place);
  }
  return found;
}

/** Places that are listed, and how far apart they must be as a share of the diagonal. */
export const WORST_PLACES = 10;
export const WORST_APART = 0.02;
