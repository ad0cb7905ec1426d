import { f16round } from '@petamoriken/float16';

/** Nearest half of a number, by a library that is not ours. */
export const float16Oracle = (x: number): number => f16round(x);
