import { FOLD_ALLOWED, MISSED_ALLOWED } from './allowed';
import type { ProofReport } from './prove-displacement';
import type { NormalProofReport } from './prove-normals';
import type { MovingKind } from '../raster/map-kinds';
import { hasAxes } from '../raster/map-kinds';

export type AdviceCode = 'unmatched' | 'overhangs' | 'missed' | 'clipped' | 'encoding' | 'folds' | 'grid';

/** One thing to do about a proof, with the figure that says so. */
export interface Advice {
  readonly code: AdviceCode;
  readonly message: string;
}

/** The sculpt strays this much farther from the proof than the proof from the sculpt where overhangs hide it. */
const ONE_SIDED = 1.5;
const REACHED_ENOUGH = 0.995;

const percent = (share: number): string => `${Number((100 * share).toPrecision(2))} %`;
const figure = (x: number): string => String(Number(x.toPrecision(3)));

/** What stands between a normal map and its sculpt. Empty when there is nothing to say. */
export function adviseOnNormals({ normalAngle, unmatchedShare, missedShare }: NormalProofReport): Advice[] {
  const out: Advice[] = [];
  if (normalAngle === null)
    out.push({
      code: 'unmatched',
      message:
        'Nowhere was there a normal of the sculpt to compare with, so there is no verdict. Look whether its faces face the right way, and whether the reach is long enough.',
    });
  else if (unmatchedShare > MISSED_ALLOWED)
    out.push({
      code: 'unmatched',
      message: `${percent(unmatchedShare)} of the area had no normal of the sculpt to compare with; widen the reach, or look for flipped faces and holes there.`,
    });
  if ((missedShare ?? 0) > MISSED_ALLOWED)
    out.push({
      code: 'missed',
      message: `${percent(missedShare ?? 0)} of the texels found no sculpt; widen the reach, or look at where they lie.`,
    });
  return out;
}

/** What stands between a map and its sculpt, gravest first, each with what to change. Empty when there is nothing to say.
 *  @param unit for the sentences */
export function adviseOnProof(r: ProofReport, unit: string, kind: MovingKind = 'scalar'): Advice[] {
  const out: Advice[] = [];
  const { toSculpt, toProof } = r.unencoded ?? r.distance;
  const oneSided = toProof.rms > ONE_SIDED * toSculpt.rms && toProof.max > ONE_SIDED * toSculpt.max;
  const unreached = r.reachedShare === null ? null : 1 - r.reachedShare;
  if (oneSided && (unreached === null || unreached > 1 - REACHED_ENOUGH))
    out.push({
      code: 'overhangs',
      message: hasAxes(kind)
        ? `${unreached === null ? 'Part' : percent(unreached)} of the sculpt is not reached: it lies up to ${figure(toProof.max)} ${unit} from the proof. The map's grid is too coarse for it, or its axis order or space is not the one it was written in.`
        : `${unreached === null ? 'Part' : percent(unreached)} of the sculpt is not reached: it lies up to ${figure(toProof.max)} ${unit} from the proof, under overhangs that no height along the normal can describe. A larger or deeper height map will not help; this part needs vector displacement.`,
    });
  if ((r.missedShare ?? 0) > MISSED_ALLOWED)
    out.push({
      code: 'missed',
      message: `${percent(r.missedShare ?? 0)} of the texels found no sculpt along the normal; widen the reach, or look at where they lie.`,
    });
  if ((r.clippedShare ?? 0) > 0)
    out.push({ code: 'clipped', message: `${percent(r.clippedShare ?? 0)} of the texels are cut off by the range; raise the scale.` });
  // overhangs fold a height map by their nature; that has been said
  if (r.foldShare > FOLD_ALLOWED && out.every((a) => a.code !== 'overhangs'))
    out.push({
      code: 'folds',
      message: `${percent(r.foldShare)} of the displaced surface is folded over; fewer subdivisions or a lighter mesh closer to the form avoid it.`,
    });
  // what is cut off is in that difference too, has been said, and wants the opposite
  const rounding = r.unencoded === null || (r.clippedShare ?? 0) > 0 ? 0 : Math.max(0, r.distance.rms ** 2 - r.unencoded.rms ** 2);
  if (rounding > 0.5 * r.distance.rms ** 2)
    out.push({
      code: 'encoding',
      message: `Rounding makes up ${percent(Math.sqrt(rounding) / r.distance.rms)} of the error; take a greater bit depth or a smaller scale.`,
    });
  if (out.length === 0 && r.passed === false)
    out.push({
      code: 'grid',
      message:
        'The map itself is sound: what is left comes from its grid and the render subdivisions. Extract a larger map, or subdivide once more.',
    });
  return out;
}
