/** Blocks a side of the grid of texel sizes that a field carries. */
export const TEXEL_GRID = 64;

/** Mean length of a texel on the surface, gathered over blocks of a raster while it is measured. */
export class BlockMeans {
  private readonly sums = new Float64Array(TEXEL_GRID * TEXEL_GRID);
  private readonly counts = new Uint32Array(TEXEL_GRID * TEXEL_GRID);
  /** Column of blocks of each column of texels. */
  private readonly columns: Uint8Array;
  constructor(
    private readonly W: number,
    private readonly H: number,
  ) {
    this.columns = Uint8Array.from({ length: W }, (_, x) => texelBlock(x, 0, W, H));
  }
  /** @param sizes of whole rows, from row y0 on; 0 where nothing was measured */
  add(sizes: Float32Array, y0: number): void {
    for (let i = 0, y = y0; i < sizes.length; i += this.W, y++) this.addRow(sizes, i, texelBlock(0, y, this.W, this.H));
  }
  private addRow(sizes: Float32Array, from: number, first: number): void {
    const { sums, counts, columns } = this;
    for (let x = 0; x < columns.length; x++) {
      const size = sizes[from + x];
      if (size === 0) continue;
      const block = first + columns[x];
      sums[block] += size;
      counts[block]++;
    }
  }
  means(): Float32Array {
    return Float32Array.from(this.sums, (s, i) => (this.counts[i] === 0 ? 0 : s / this.counts[i]));
  }
}

/** Block of the texel-size grid that holds texel (x, y). */
export const texelBlock = (x: number, y: number, W: number, H: number): number =>
  Math.floor((y * TEXEL_GRID) / H) * TEXEL_GRID + Math.floor((x * TEXEL_GRID) / W);
