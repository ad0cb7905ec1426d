import { sculptFarFinding } from '../extract/sculpt-far';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { Finding, FindingCode } from '../uv/finding';
import { spansStrandsFinding } from './spans-strands';
import { unsettledFinding } from './unsettled';

/** Findings about a light mesh and its sculpt together: they hold as long as the points of both stay where they are. */
export const PAIR_FINDINGS: readonly FindingCode[] = ['sculpt-far', 'spans-strands', 'base-unsettled', 'points-renumbered'];

/** What is to be said of a light mesh and its sculpt together: a level is near by its nature, a free sculpt has no base to settle.
 *  @param levels of one stack between them, in the stated point order; null for a free sculpt */
export const pairFinding = (low: PolyMesh, sculpt: PolyMesh, levels: number | null): Finding | null =>
  levels === null ? (sculptFarFinding(low, sculpt) ?? spansStrandsFinding(low, sculpt)) : unsettledFinding(low, sculpt, levels);
