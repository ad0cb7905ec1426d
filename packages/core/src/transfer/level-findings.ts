import type { Finding } from '../uv/finding';
import { Findings, many } from '../uv/finding';

/** A finding on one level of a stack. */
export interface LevelFinding extends Finding {
  readonly faces: number[];
  readonly level: number;
}

/** What is to be looked at on a level that was put onto a sculpt: points that found nothing there, and folds.
 *  @param carried such points, in the faces `missed`  @param folds of which `folded` are named */
export function levelFindings(
  level: number,
  {
    carried,
    missed,
    folds,
    folded,
  }: { readonly carried: number; readonly missed: readonly number[]; readonly folds: number; readonly folded: readonly number[] },
): LevelFinding[] {
  const findings = new Findings();
  findings.add(
    'transfer-missed',
    'warning',
    missed,
    (n) =>
      `${many(n, 'point')} of level ${level} found nothing on the sculpt and went along with their neighbours: mark groups on both meshes, search farther, or drag them there with the brush.`,
    missed.length > 0 ? Math.max(carried, 1) : 0,
  );
  findings.add(
    'transfer-folded',
    'warning',
    folded,
    (n) =>
      `${n === 1 ? '1 face lies' : `${n} faces lie`} against the sculpt under ${n === 1 ? 'it' : 'them'} on level ${level}: smooth there with the brush, or put the light mesh nearer to the sculpt there.`,
    folds,
  );
  return findings.list.map((finding) => ({ ...finding, faces: [...finding.faces], level }));
}
