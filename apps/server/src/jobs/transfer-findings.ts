import type { FindingInfo } from '@estampe/contracts';

/** Faces that a finding names. */
const MOST_TOLD = 1000;
export const MISSED = 'transfer-missed';

/** What is to be looked at on a level that was put onto a sculpt. */
export function transferFindings(
  level: number,
  {
    carried,
    missed,
    folds,
    folded,
  }: { readonly carried: number; readonly missed: readonly number[]; readonly folds: number; readonly folded: readonly number[] },
): FindingInfo[] {
  const found: FindingInfo[] = [];
  if (missed.length > 0)
    found.push({
      code: MISSED,
      severity: 'warning',
      count: Math.max(carried, 1),
      message: `${carried} ${carried === 1 ? 'point' : 'points'} of level ${level} found nothing on the sculpt and went along with their neighbours: mark groups on both meshes, search farther, or drag them there with the brush.`,
      faces: missed.slice(0, MOST_TOLD),
      level,
    });
  if (folds > 0)
    found.push({
      code: 'transfer-folded',
      severity: 'warning',
      count: folds,
      message: `${folds === 1 ? '1 face lies' : `${folds} faces lie`} against the sculpt under ${folds === 1 ? 'it' : 'them'} on level ${level}: smooth there with the brush, or put the light mesh nearer to the sculpt there.`,
      faces: folded.slice(0, MOST_TOLD),
      level,
    });
  return found;
}
