import type { DerivativeFrames } from '../../frames/derivative-frames';
import type { LowFrames } from '../../frames/low-frames';

export interface DerivativeFrameArrays {
  readonly frames: DerivativeFrames;
  /** Level that they were computed on. */
  readonly level: number;
}

/** Frame of a vector map with what threads need to find it. */
export type VectorFrame =
  | { readonly kind: 'object' }
  | { readonly kind: 'mikk'; readonly frames: LowFrames }
  | ({ readonly kind: 'derivative' } & DerivativeFrameArrays);
