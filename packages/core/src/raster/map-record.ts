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
  readonly mended: number;
  readonly missedShare: number;
  /** Whether seam texels and all texels were fitted: `yes` or `no`. */
  readonly seamsMatched: string;
  readonly texelsFitted: string;
  /** Where the map was read on the sculpt (`parameter`, `hit` or `closest`); null for heights. */
  readonly normalSource: string | null;
  /** Level that a vector map's derivative frames were computed on; null for other maps. */
  readonly frameLevel: number | null;
  /** Rule of its derivative frames (`FrameRule`); files that do not say were made by the first. Null for other maps. */
  readonly frameRule: number | null;
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
  match: 'unknown', seamsMatched: 'no', texelsFitted: 'no', normalSource: null, frameLevel: null, frameRule: null, radius: null, rays: null, seed: null, lift: null, distance: null,
  colourSpace: null, shade: null, strength: null, reach: 0, samples: 1, padding: 0, covered: 0, missed: 0, doubtful: 0, mended: 0, missedShare: 0, depth: null, midpoint: null, scale: null, axes: null,
  green: null, keepBlue: null, clippedShare: null,
}; // prettier-ignore

type TileShares = Partial<Record<'covered' | 'missed' | 'doubtful' | 'mended' | 'missedShare' | 'clippedShare', number | null | undefined>>;

/** A share over all tiles of a map, by their texels inside (class 1). Null where no tile says; the worst tile's where tiles do not say how many
 *  texels they have. */
export function insideShare(
  tiles: readonly TileShares[],
  share: (tile: TileShares, index: number) => number | null | undefined,
): number | null {
  return weightedShare(tiles, share, (t) => Math.max(0, (t.covered ?? 0) - (t.doubtful ?? 0) - (t.mended ?? 0)));
}

/** The shares of a map over all its tiles: missed ones of the texels that should have a value, clipped ones of those inside. */
export const sharesOverTiles = (
  tiles: readonly TileShares[],
): { readonly missedShare: number | null; readonly clippedShare: number | null } => ({
  missedShare: weightedShare(
    tiles,
    (t) => t.missedShare,
    (t) => (t.covered ?? 0) + (t.missed ?? 0),
  ),
  clippedShare: insideShare(tiles, (t) => t.clippedShare),
});

function weightedShare(
  tiles: readonly TileShares[],
  share: (tile: TileShares, index: number) => number | null | undefined,
  weight: (tile: TileShares) => number,
): number | null {
  const known = tiles.flatMap((tile, i) => {
    const value = share(tile, i);
    return typeof value === 'number' ? [{ tile, value, weight: weight(tile) }] : [];
  });
  if (known.length === 0) return null;
  const all = known.reduce((sum, k) => sum + k.weight, 0);
  if (all === 0 || known.some(({ tile }) => typeof tile.covered !== 'number')) return Math.max(...known.map((k) => k.value));
  return known.reduce((sum, k) => sum + (k.weight * k.value) / all, 0);
}
