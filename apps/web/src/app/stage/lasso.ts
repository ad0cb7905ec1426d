export interface ScreenPoint {
  readonly x: number;
  readonly y: number;
}

/** Faces that lie in a closed line on the screen with at least half of what can be seen of them.
 *  @param ids face + 1 at each pixel, 0 where there is none; rows from the top */
export function facesInLasso(ids: Uint32Array, width: number, height: number, line: readonly ScreenPoint[]): number[] {
  const inside = new Map<number, number>();
  for (let y = 0; y < height; y++) {
    const cuts = crossings(line, y + 0.5);
    for (let k = 0; k + 1 < cuts.length; k += 2)
      for (let x = Math.max(0, Math.ceil(cuts[k] - 0.5)); x < Math.min(width, cuts[k + 1] - 0.5); x++) {
        const id = ids[y * width + x];
        if (id > 0) inside.set(id, (inside.get(id) ?? 0) + 1);
      }
  }
  const seen = new Map<number, number>();
  for (const id of ids) if (inside.has(id)) seen.set(id, (seen.get(id) ?? 0) + 1);
  return [...inside].filter(([id, n]) => 2 * n >= (seen.get(id) ?? 0)).map(([id]) => id - 1);
}

/** Where a closed line crosses a row, ascending. */
function crossings(line: readonly ScreenPoint[], y: number): number[] {
  const out: number[] = [];
  for (let i = 0; i < line.length; i++) {
    const [a, b] = [line[i], line[(i + 1) % line.length]];
    if (a.y <= y !== b.y <= y) out.push(a.x + ((y - a.y) / (b.y - a.y)) * (b.x - a.x));
  }
  return out.sort((p, q) => p - q);
}
