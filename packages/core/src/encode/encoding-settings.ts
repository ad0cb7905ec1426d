import { axisLetters, parseAxes, PLAIN_ORDER } from './axis-order';
import type { MapConvention } from './encode-map';
import type { Encoding, NormalConvention } from './encoding';

/** An encoding as people and files keep it: plain values only. */
export interface EncodingChoice extends Encoding, NormalConvention {
  /** `R=+U G=+V B=+N`; empty for the plain order. */
  readonly axes: string;
}

/** The encoding and the conventions that a choice stands for.
 *  @param frame of the map @throws InvalidInputError BAD_OPTION for an axis order that cannot be */
export function encodingOf(choice: EncodingChoice, frame: string | null): { encoding: Encoding; convention: MapConvention } {
  const { depth, midpoint, scale, each, green, keepBlue, axes } = choice;
  return {
    encoding: { depth, midpoint, scale, each },
    convention: { green, keepBlue, axes: axes === '' ? PLAIN_ORDER : parseAxes(axes, axisLetters(frame)) },
  };
}
