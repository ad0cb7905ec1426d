/** A part this small is not parted further. */
const SMALL = 12;

/** An order of elimination that keeps a factor sparse: a part is halved where a wave from one of its ends has reached half of its points, the
 *  halves come first, the wave's front last (George, Liu, An Automatic Nested Dissection Algorithm for Irregular Finite Element Problems, 1978).
 *  @param rows    uint32[N + 1]
 *  @param columns neighbours of each point, itself among them or not
 *  @returns uint32[N], points in the order of elimination */
export function dissectionOrder(rows: Uint32Array, columns: Uint32Array): Uint32Array {
  const N = rows.length - 1;
  const order = new Uint32Array(N);
  const partOf = new Uint32Array(N);
  const wave = new Uint32Array(N);
  const seen = new Uint32Array(N);
  let parts = 0;
  let waves = 0;
  /** Points of a part in the order in which a wave from `from` reaches them, into `wave`, and where each ring of it begins. */
  const spread = (from: number, part: number): { reached: number; rings: number[] } => {
    const mark = ++waves;
    const rings = [0];
    wave[0] = from;
    seen[from] = mark;
    let reached = 1;
    for (let i = 0; i < reached;) {
      const ring = reached;
      for (; i < ring; i++)
        for (let k = rows[wave[i]]; k < rows[wave[i] + 1]; k++) {
          const j = columns[k];
          if (partOf[j] !== part || seen[j] === mark) continue;
          seen[j] = mark;
          wave[reached++] = j;
        }
      rings.push(ring);
    }
    return { reached, rings };
  };
  // parts yet to be ordered, each with the end of its place in the order
  const open: { points: Uint32Array; end: number }[] = [{ points: Uint32Array.from({ length: N }, (_, i) => i), end: N }];
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    const { points, end } = next;
    if (points.length <= SMALL) {
      order.set(points, end - points.length);
      continue;
    }
    const part = ++parts;
    for (const p of points) partOf[p] = part;
    const first = spread(points[0], part);
    const { reached, rings } = spread(wave[first.reached - 1], part);
    if (reached < points.length) {
      // what does not hang together is ordered piece by piece
      const mark = waves;
      open.push({ points: wave.slice(0, reached), end: end - points.length + reached });
      open.push({ points: points.filter((p) => seen[p] !== mark), end });
      continue;
    }
    let r = 0;
    while (rings[r + 1] <= reached / 2) r++;
    const [from, to] = [rings[r], rings[r + 1]];
    order.set(wave.subarray(from, to), end - (to - from));
    const before = wave.slice(0, from);
    const after = wave.slice(to, reached);
    open.push({ points: before, end: end - (to - from) - after.length });
    open.push({ points: after, end: end - (to - from) });
  }
  return order;
}
