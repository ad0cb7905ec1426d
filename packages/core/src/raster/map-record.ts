import type { MapKind, ShadingKind } from './map-kinds';

/** Where a map was read on the sculpt: at equal parameters, where the ray along the normal hit, or at the closest point. */
export type ReadAt = 'parameter' | 'hit' | 'closest';
/** What vectors and directions are written in; none in a file that does not say. */
export const RECORDED_FRAMES = ['derivative', 'mikk', 'object', 'none'] as const;
export type RecordedFrame = (typeof RECORDED_FRAMES)[number];

/** What every map says of how it was measured. Lengths in `unit`. */
export interface MeasuredFacts {
  /** A `Base` and the level that it was evaluated at. */
  readonly base: string;
  readonly baseLevel: number;
  readonly boundary: string;
  readonly uv: string;
  readonly tile: number;
  readonly unit: string;
  readonly filter: 'bilinear' | 'nearest';
  readonly lowHash: string;
  readonly match: string;
  readonly reach: number;
  readonly samples: number;
  /** Texels, or all of the tile. */
  readonly padding: number | 'fill';
  readonly covered: number;
  readonly missed: number;
  readonly doubtful: number;
  readonly mended: number;
  readonly missedShare: number;
  readonly seamsMatched: boolean;
  readonly texelsFitted: boolean;
}

interface OnSculpt {
  /** Null in a file that does not say. */
  readonly normalSource: ReadAt | null;
}
/** What each kind says of itself beyond that. Lengths in scene units; null in files that do not say, or as it is told. */
export interface KindFacts {
  readonly scalar: object;
  readonly vector: OnSculpt & {
    readonly frame: RecordedFrame;
    /** Level that derivative frames were computed on, and their rule (`FrameRule`); null for other frames. */
    readonly frameLevel: number | null;
    readonly frameRule: number | null;
  };
  readonly normal: OnSculpt & { readonly frame: RecordedFrame };
  /** Rays that a sample is worth, and those that it casts itself where neighbours share theirs; seed, how far they start off the surface, how far they look (null for any distance). */
  readonly occlusion: OnSculpt & {
    readonly rays: number | null;
    readonly raysCast: number | null;
    readonly seed: number | null;
    readonly lift: number | null;
    readonly distance: number | null;
  };
  /** Radius of the ball that they are averaged over. */
  readonly curvature: OnSculpt & { readonly radius: number | null };
  readonly hollows: OnSculpt & { readonly radius: number | null };
  /** How far through the sculpt it looks, and how far off the surface it starts. */
  readonly thickness: OnSculpt & { readonly distance: number | null; readonly lift: number | null };
  /** How colours are to be understood (they are never converted), by what they were darkened, and how strongly. */
  readonly colour: OnSculpt & {
    readonly colourSpace: 'sRGB' | 'linear' | null;
    readonly shade: ShadingKind | null;
    readonly strength: number | null;
  };
}

/** What every file says of how its values are written. */
interface WrittenFacts {
  readonly depth: '8' | '16' | 'half' | 'float';
  /** One for all channels, or one a channel. */
  readonly midpoint: number | readonly number[];
  readonly scale: number | readonly number[];
  readonly clippedShare: number;
}
/** Channels of vectors; green and blue of normals. */
type KindConventions = Record<Exclude<MapKind, 'vector' | 'normal'>, object> & {
  readonly vector: { readonly axes: string };
  readonly normal: { readonly green: 'up' | 'down'; readonly keepBlue: boolean };
};

/** What a map of kind K is. `written` is null in a field, whose values are as they were measured. */
export type MapRecordOf<K extends MapKind> = K extends MapKind
  ? { readonly kind: K } & MeasuredFacts & KindFacts[K] & { readonly written: (WrittenFacts & KindConventions[K]) | null }
  : never;
/** What a map is, wherever it travels. In files it is text under shared keys (`formats/map-record.ts`). */
export type MapRecord = MapRecordOf<MapKind>;

/** The frame of a map's values; none for values that are not written in one. */
export const frameOf = (record: MapRecord): RecordedFrame => ('frame' in record ? record.frame : 'none');

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
