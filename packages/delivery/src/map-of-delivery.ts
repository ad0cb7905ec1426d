import type { DeliveredMap } from '@estampe/contracts';
import type { EncodingFigures, WrittenRecord } from '@estampe/core';
import { asksRay, displaces, holdsDirections, insideShare, sharesOverTiles, traitsOf } from '@estampe/core';

/** One tile of a map, as far as a manifest is concerned. */
export interface DeliveredTile {
  readonly record: WrittenRecord;
  readonly figures: Pick<EncodingFigures, 'step' | 'restError' | 'terracedShare' | 'min' | 'max'> & { readonly bound?: number };
  readonly file: string;
  readonly sha256: string;
  readonly bytes: number;
}

/** The manifest's entry of a map from its tiles: shares of all their texels, the largest step, rest error and bound, and each tile's own figures.
 *  @param tiles at least one */
export function deliveredMap(
  tiles: readonly DeliveredTile[],
  size: readonly [number, number],
  fileType: DeliveredMap['fileType'],
  proof: DeliveredMap['proof'],
): DeliveredMap {
  const [{ record: r }] = tiles;
  const shares = sharesOverTiles(tiles.map((t) => t.record));
  const normal = holdsDirections(r.kind);
  const moves = displaces(r.kind);
  const three = traitsOf(r.kind).channels === 3;
  const worst = (of: (t: DeliveredTile) => number): number => Math.max(...tiles.map(of));
  return {
    kind: r.kind,
    space: asksRay([r.kind]) ? 'along-normal' : (r.frame ?? 'none'),
    files: tiles.map(({ record, figures, file, sha256, bytes }) => ({
      tile: record.tile,
      file,
      sha256,
      bytes,
      step: figures.step,
      clippedShare: record.clippedShare ?? 0,
      missedShare: record.missedShare,
      terracedShare: figures.terracedShare,
    })),
    size: [...size],
    fileType,
    depth: r.depth ?? 'float',
    channels: three ? 'R G B' : fileType === 'exr' ? 'Y' : 'grey',
    colour: 'raw',
    midpoint: (r.midpoint ?? 0) as DeliveredMap['midpoint'],
    scale: (r.scale ?? 1) as DeliveredMap['scale'],
    axes: r.axes === 'none' ? null : r.axes,
    green: normal ? (r.green === 'down' ? 'down' : 'up') : null,
    keepBlue: normal ? r.keepBlue !== 'no' : null,
    step: worst((t) => t.figures.step),
    restError: worst((t) => t.figures.restError),
    // files from before vectors were measured have no bound of their own: a height's is its larger end
    bound: moves ? worst(({ figures: f }) => f.bound ?? Math.max(Math.abs(f.min ?? 0), Math.abs(f.max ?? 0))) : null,
    clippedShare: shares.clippedShare ?? 0,
    missedShare: shares.missedShare ?? 0,
    terracedShare: tiles.some((t) => t.figures.terracedShare === null)
      ? null
      : insideShare(
          tiles.map((t) => t.record),
          (_, i) => tiles[i].figures.terracedShare,
        ),
    base: r.base,
    baseLevel: r.baseLevel,
    match: r.match,
    normalSource: r.normalSource,
    frameLevel: r.frameLevel,
    radius: r.radius,
    rays: r.rays,
    seed: r.seed,
    distance: r.distance,
    colourSpace: r.colourSpace,
    shade: r.shade,
    strength: r.strength,
    reach: r.reach,
    samples: r.samples,
    padding: r.padding,
    filter: r.filter,
    seamsMatched: r.seamsMatched === 'yes',
    texelsFitted: r.texelsFitted === 'yes',
    proof,
  };
}
