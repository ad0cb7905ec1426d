import type { BandOfTile, SpanSurfaces } from '@estampe/core';
import { channelsOf, INSIDE, MAP_KINDS, NORMAL_RANGE } from '@estampe/core';
import type { PieceOfTile } from './job-messages';

/** Longest side of the picture that pieces make up. */
const SIDE = 256;
/** Rows of one piece: it travels as a message of bounded size. */
const ROWS = 8;
/** Stands for a texel that nothing is known of. */
const NOTHING = -32768;
const FULL = 32767;

/** Makes small pictures of the bands of a tile as they are measured: single texels of the first map, in sixteen bits over its largest value so
 *  far as that is known beforehand. They are for looking only. */
export class PieceMaker {
  private readonly step: number;
  private readonly range: number;

  constructor(
    private readonly tile: number,
    private readonly span: SpanSurfaces,
    private readonly send: (piece: PieceOfTile) => void,
  ) {
    const { width, height } = span.options;
    this.step = Math.max(1, Math.ceil(Math.max(width, height) / SIDE));
    this.range = expectedRange(span);
  }

  add({ y0, maps }: BandOfTile): void {
    const { step, range, tile } = this;
    const [{ values, coverage }] = maps;
    const [kind] = this.span.options.maps;
    const channels = channelsOf(kind);
    const { width: W, height: H } = this.span.options;
    const across = Math.ceil(W / step);
    // the rows of the small picture that lie in this band
    const last = Math.ceil((y0 + coverage.length / W) / step);
    for (let first = Math.ceil(y0 / step); first < last; first += ROWS) {
      const data = new Int16Array(across * Math.min(ROWS, last - first));
      for (let i = 0; i < data.length; i++) {
        const texel = ((first + Math.floor(i / across)) * step - y0) * W + (i % across) * step;
        // of three channels the last shows most: along the normal, out of the surface
        const value = values[channels * texel + channels - 1];
        data[i] = coverage[texel] === INSIDE ? Math.round(FULL * Math.max(-1, Math.min(1, value / range))) : NOTHING;
      }
      this.send({ tile, kind, width: across, height: Math.ceil(H / step), y0: first, range, data });
    }
  }
}

/** How far from zero the first map's values will lie, as far as it can be told before they are measured. */
function expectedRange({ measures: [first], reach }: SpanSurfaces): number {
  const { quantity } = MAP_KINDS[first.kind];
  if (quantity === 'length') return 'distance' in first ? first.distance : reach;
  if (quantity === 'curvature' && 'radius' in first) return 2 / first.radius;
  return NORMAL_RANGE.scale / 2;
}
