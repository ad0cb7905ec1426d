/** Largest share of missed texels, or of area that nothing could be compared with, that can still be good to pull. */
export const MISSED_ALLOWED = 0.001;
/** Largest share of the displaced area that may be folded over. */
export const FOLD_ALLOWED = 0.0001;
