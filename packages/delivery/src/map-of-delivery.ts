import type { DeliveredMap } from '@estampe/contracts';
import { displaces } from '@estampe/contracts';
import type { EncodingFigures, MapRecord } from '@estampe/core';

/** One tile of a map, as far as a manifest is concerned. */
export interface DeliveredTile {
  readonly record: MapRecord;
  readonly figures: Pick<EncodingFigures, 'step' | 'restError' | 'terracedShare' | 'min' | 'max'> & { readonly bound?: number };
  readonly file: string;
  readonly sha256: string;
  readonly bytes: number;
}

/** The manifest's entry of a map from its tiles; shares are the worst of all tiles, the bound the largest.
 *  @param tiles at least one */
export function deliveredMap(
  tiles: readonly DeliveredTile[],
  size: readonly [number, number],
  fileType: DeliveredMap['fileType'],
  proof: DeliveredMap['proof'],
): DeliveredMap {
  const [{ record: r, figures }] = tiles;
  const normal = r.kind === 'normal';
  const moves = displaces(r.kind);
  const three = tiles[0].record.kind === 'vector' || normal || r.kind === 'colour';
  const worst = (of: (t: DeliveredTile) => number): number => Math.max(...tiles.map(of));
  return {
    kind: r.kind as DeliveredMap['kind'],
    space: r.kind === 'scalar' ? 'along-normal' : ((r.frame ?? 'none') as DeliveredMap['space']),
    files: tiles.map(({ record, file, sha256, bytes }) => ({ tile: record.tile, file, sha256, bytes })),
    size: [...size],
    fileType,
    depth: (r.depth ?? 'float') as DeliveredMap['depth'],
    channels: three ? 'R G B' : fileType === 'exr' ? 'Y' : 'grey',
    colour: 'raw',
    midpoint: (r.midpoint ?? 0) as DeliveredMap['midpoint'],
    scale: (r.scale ?? 1) as DeliveredMap['scale'],
    axes: r.axes === 'none' ? null : r.axes,
    green: normal ? (r.green === 'down' ? 'down' : 'up') : null,
    keepBlue: normal ? r.keepBlue !== 'no' : null,
    step: worst((t) => t.figures.step),
    restError: figures.restError,
    // files from before vectors were measured have no bound of their own: a height's is its larger end
    bound: moves ? worst(({ figures: f }) => f.bound ?? Math.max(Math.abs(f.min ?? 0), Math.abs(f.max ?? 0))) : null,
    clippedShare: worst((t) => t.record.clippedShare ?? 0),
    missedShare: worst((t) => t.record.missedShare),
    terracedShare: tiles.some((t) => t.figures.terracedShare === null) ? null : worst((t) => t.figures.terracedShare ?? 0),
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
