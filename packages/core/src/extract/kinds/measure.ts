import { DOUBTFUL, INSIDE, MISSED } from '../../raster/field';
import type { Place } from '../place';
import type { SculptSearch } from '../sculpt-search';

/** A sample of a texel, as measures look at it. One object a thread, overwritten from sample to sample. Where none of them looks at places, only
 *  `search` and `hit` are of this sample. */
export interface SampleAt {
  readonly place: Place;
  readonly search: SculptSearch;
  /** Whether the ray along the normal met the sculpt. */
  hit: boolean;
  /** Whether there is an answer on the sculpt by the source that maps but heights use. */
  answered: boolean;
  /** The light mesh's face and absolute UVs. */
  face: number;
  u: number;
  v: number;
  /** Column and row of the sample in the tile, for seeds. */
  column: number;
  row: number;
}

/** The rows of texels that are measured together. */
export interface BandRows {
  readonly width: number;
  readonly samples: number; // n x n a texel
  readonly y0: number;
  readonly y1: number;
}

/** Gathers the samples of a texel into its value and coverage class: the mean of those that have one. */
export abstract class Measure {
  readonly values: Float32Array;
  readonly coverage: Uint8Array;
  /** Rows of texels above and below a band that it looks at too. */
  readonly halo: number = 0;
  /** Whether it looks at anything of a sample but what the ray found. */
  readonly looksAtPlaces: boolean = true;
  protected found = 0;
  protected readonly sum = new Float64Array(3);
  private readonly one = new Float64Array(3);
  private doubtful = false;

  constructor(
    readonly channels: 1 | 3,
    texels: number,
    /** Whether an unsure ray makes the texel doubtful. */
    private readonly byRay: boolean,
  ) {
    this.values = new Float32Array(channels * texels);
    this.coverage = new Uint8Array(texels);
  }

  clear(): void {
    this.found = 0;
    this.doubtful = false;
    // by hand: a call for three numbers costs more than they do
    this.sum[0] = this.sum[1] = this.sum[2] = 0;
  }

  /** @param kept where the sample's own values go; null where nobody wants them */
  add(at: SampleAt, kept: Float32Array | null = null, sample = 0): void {
    if (!this.find(at, this.one)) return;
    this.count(at);
    if (kept !== null) for (let k = 0; k < this.channels; k++) kept[this.channels * sample + k] = this.one[k];
    for (let k = 0; k < this.channels; k++) this.sum[k] += this.one[k];
  }

  protected count(at: SampleAt): void {
    this.found++;
    if (this.byRay && at.search.doubtful) this.doubtful = true;
  }

  /** The value of one sample alone. Writes out[0..channels - 1]. @returns false when it has none */
  valueAt(at: SampleAt, out: Float64Array): boolean {
    return this.find(at, out);
  }

  /** Writes the texel; only for covered ones. */
  write(texel: number): void {
    this.coverage[texel] = this.coverageOf();
    if (this.found > 0) for (let k = 0; k < this.channels; k++) this.values[this.channels * texel + k] = this.sum[k] / this.found;
  }

  protected coverageOf(): number {
    return this.found === 0 ? MISSED : this.doubtful ? DOUBTFUL : INSIDE;
  }

  /** Hears of each row of texels when all its samples were added, also of those around the band that it looks at. */
  endRow(_y: number, _search: SculptSearch): void {
    // most have written everything by then
  }

  /** @returns false when the sample has no value */
  protected abstract find(at: SampleAt, out: Float64Array): boolean;
}
