import type { Outlines } from './sheet-picture';

/** The last face that a place in UV space lies in; -1 for none. */
export function faceUnder({ uvLines, uvLinesOfFaces }: Outlines, u: number, v: number): number {
  const starts = uvLinesOfFaces ?? new Uint32Array(1);
  for (let f = starts.length - 2; f >= 0; f--) {
    let inside = false;
    for (let i = 4 * starts[f]; i < 4 * starts[f + 1]; i += 4) {
      const [au, av, bu, bv] = [uvLines[i], uvLines[i + 1], uvLines[i + 2], uvLines[i + 3]];
      if (av > v !== bv > v && u < ((bu - au) * (v - av)) / (bv - av) + au) inside = !inside;
    }
    if (inside) return f;
  }
  return -1;
}
