import type { Tolerance } from '../shared/tolerance';

/** What a proof is asked with, as far as somebody chose it. */
export interface ProofDraft {
  /** Null: as many as there are levels in the span. */
  readonly subdivisions: number | null;
  /** Null while nobody has chosen one: then it is proposed. */
  readonly tolerance: Tolerance | null;
  /** Degrees, for normal maps; null gives no verdict. */
  readonly degrees: number | null;
}
