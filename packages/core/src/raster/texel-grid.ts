/** Blocks a side of the grid of texel sizes that a field carries. */
export const TEXEL_GRID = 64;

/** Mean length of a texel on the surface, gathered over blocks of a raster while it is measured. */
export class BlockMeans {
  private readonly sums = new Float64Array(TEXEL_GRID * TEXEL_GRID);
  private readonly counts = new Uint32Array(TEXEL_GRID * TEXEL_GRID);
  constructor(
    private readonly W: number,
    private readonly H: number,
  ) {}
  add(sizes: Float32Array, y0: number): void {
    for (let i = 0; i < sizes.length; i++) {
      if (sizes[i] === 0) continue;
      const block = texelBlock(i % this.W, y0 + Math.floor(i / this.W), this.W, this.H);
      this.sums[block] += sizes[i];
      this.counts[block]++;
    }
  }
  means(): Float32Array {
    return Float32Array.from(this.sums, (s, i) => (this.counts[i] === 0 ? 0 : s / this.counts[i]));
  }
}

/** Block of the texel-size grid that holds texel (x, y). */
export const texelBlock = (x: number, y: number, W: number, H: number): number =>
  Math.floor((y * TEXEL_GRID) / H) * TEXEL_GRID + Math.floor((x * TEXEL_GRID) / W);
