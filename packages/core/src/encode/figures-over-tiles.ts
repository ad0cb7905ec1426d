import type { EncodingFigures } from './encode-field';
import type { NormalFigures } from './encode-normals';

/** A tile's figures with how many texels they are over. */
export interface TileFigures {
  /** Texels of class 1. */
  readonly inside: number;
  readonly figures: EncodingFigures | NormalFigures;
}

/** What an encoding does to a map of several tiles: the largest step, rest error and bound, shares and roundings of all texels inside, ends
 *  over all.
 *  @param tiles at least one, all of one kind */
export function figuresOverTiles(tiles: readonly TileFigures[]): EncodingFigures | NormalFigures {
  const all = tiles.map((t) => t.figures);
  const inside = tiles.reduce((n, t) => n + t.inside, 0);
  const share = <F>(figures: readonly F[], of: (f: F) => number): number =>
    inside === 0 ? 0 : figures.reduce((sum, f, i) => sum + (tiles[i].inside / inside) * of(f), 0);
  const largest = <F>(figures: readonly F[], of: (f: F) => number): number => Math.max(...figures.map(of));
  const ends = all.map((f) => f.ends).filter((e) => e !== null);
  const over = ends.length === 0 ? null : ends[0].map((_, k) => ({ min: Math.min(...ends.map((e) => e[k].min)), max: Math.max(...ends.map((e) => e[k].max)) })); // prettier-ignore
  const common: EncodingFigures = {
    step: largest(all, (f) => f.step),
    restError: largest(all, (f) => f.restError),
    clippedShare: share(all, (f) => f.clippedShare),
    terracedShare: all.some((f) => f.terracedShare === null) ? null : share(all, (f) => f.terracedShare ?? 0),
    min: over === null ? null : Math.min(...over.map((e) => e.min)),
    max: over === null ? null : Math.max(...over.map((e) => e.max)),
    ends: over,
    bound: largest(all, (f) => f.bound),
    roundingRms: Math.sqrt(share(all, (f) => f.roundingRms ** 2)),
  };
  const normals = all.filter((f): f is NormalFigures => 'restAngle' in f);
  if (normals.length < all.length) return common;
  return {
    ...common,
    restAngle: largest(normals, (f) => f.restAngle),
    roundingAngle: {
      rms: Math.sqrt(share(normals, (f) => f.roundingAngle.rms ** 2)),
      max: largest(normals, (f) => f.roundingAngle.max),
    },
  };
}
