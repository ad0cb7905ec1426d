/** What a map is, wherever it travels: EXR attributes under `estampe:`, TIFF and PNG text, sidecar and manifest share these keys.
 *  Null where something does not apply. */
export interface MapRecord {
  readonly kind: string;
  readonly frame: string | null;
  readonly base: string;
  /** Level at which the base was evaluated. */
  readonly baseLevel: number;
  readonly boundary: string;
  readonly uv: string;
  readonly tile: number;
  readonly unit: string;
  readonly filter: string;
  readonly lowHash: string;
  readonly match: string;
  readonly reach: number;
  readonly samples: number;
  /** Texels; -1 fills the tile. */
  readonly padding: number;
  readonly covered: number;
  readonly missed: number;
  readonly doubtful: number;
  readonly missedShare: number;
  /** Whether seam texels and all texels were fitted: `yes` or `no`. */
  readonly seamsMatched: string;
  readonly texelsFitted: string;
  /** Where the sculpt's normals were taken; null for other kinds. */
  readonly normalSource: string | null;
  /** The rest is null in a field. */
  readonly depth: string | null;
  readonly midpoint: number | null;
  readonly scale: number | null;
  readonly axes: string | null;
  readonly green: string | null;
  readonly keepBlue: string | null;
  readonly clippedShare: number | null;
}
