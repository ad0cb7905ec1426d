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
  /** Where the map was read on the sculpt (`parameter`, `hit` or `closest`); null for heights. */
  readonly normalSource: string | null;
  /** Level that a vector map's derivative frames were computed on; null for other maps. */
  readonly frameLevel: number | null;
  /** Curvature and hollows: radius of the ball, scene units. */
  readonly radius: number | null;
  /** Occlusion: rays a sample, seed, how far they start off the surface, and how far they look (null for any distance), scene units. */
  readonly rays: number | null;
  readonly seed: number | null;
  readonly lift: number | null;
  readonly distance: number | null;
  /** Colours: how they are to be understood, `sRGB` or `linear`. They are never converted. */
  readonly colourSpace: string | null;
  /** Colours: what they were darkened by (`occlusion`, `hollows`), and how strongly. */
  readonly shade: string | null;
  readonly strength: number | null;
  /** The rest is null in a field. */
  readonly depth: string | null;
  /** One for all channels, or one a channel. */
  readonly midpoint: number | readonly number[] | null;
  readonly scale: number | readonly number[] | null;
  readonly axes: string | null;
  readonly green: string | null;
  readonly keepBlue: string | null;
  readonly clippedShare: number | null;
}

/** A record that knows nothing: the contract's own defaults, for files from elsewhere. */
export const UNKNOWN_RECORD: MapRecord = {
  kind: 'scalar', frame: 'none', base: 'limit', baseLevel: 0, boundary: 'edge-and-corner', uv: 'linear', tile: 1001, unit: 'scene', filter: 'bilinear', lowHash: '',
  match: 'unknown', seamsMatched: 'no', texelsFitted: 'no', normalSource: null, frameLevel: null, radius: null, rays: null, seed: null, lift: null, distance: null,
  colourSpace: null, shade: null, strength: null, reach: 0, samples: 1, padding: 0, covered: 0, missed: 0, doubtful: 0, missedShare: 0, depth: null, midpoint: null, scale: null, axes: null,
  green: null, keepBlue: null, clippedShare: null,
}; // prettier-ignore
