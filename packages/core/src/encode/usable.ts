import type { Field } from '../raster/field';
import { InvalidInputError } from '../runtime/errors';
import type { Encoding, StoredRange } from './encoding';
import { channelEncoding, checkEncoding, decodeValue, HALF_MAX, isInteger, stepAt } from './encoding';
import { extremesOf } from '../raster/extremes';

type Ends = readonly [lowest: number, highest: number];

/** Refuses an encoding that keeps nothing of what was measured: clipped to something else, or rounded to nothing. One that is merely rough is
 *  the user's own business. Channels with ranges of their own are judged together: one of them may well be empty.
 *  @param fields all tiles of a map, or their extremes @throws InvalidInputError BAD_OPTION with the figures */
export function requireUsable(fields: readonly Field[], encoding: Encoding): void {
  checkEncoding(encoding);
  const ends = channelEnds(fields);
  if (ends.length === 0) return;
  const problems = (encoding.each ? ends : [together(ends)]).map((own, k) => problemOf(own, channelEncoding(encoding, k)));
  const [first] = problems;
  if (first !== null && problems.every((p) => p !== null)) throw new InvalidInputError('BAD_OPTION', first, { option: 'scale' });
}

/** The same for what is known of a map by its ends alone; null where nothing is wrong. */
export function problemOf([lo, hi]: Ends, encoding: Encoding): string | null {
  const { midpoint, scale, depth } = encoding;
  const [from, to] = isInteger(depth) ? [0, 1] : depth === 'half' ? [-HALF_MAX, HALF_MAX] : [-Infinity, Infinity];
  const range: StoredRange = { midpoint, scale };
  const held = [decodeValue(range, from), decodeValue(range, to)];
  const measured = `what was measured runs from ${lo.toPrecision(4)} to ${hi.toPrecision(4)}`;
  const said = `midpoint ${midpoint} and scale ${scale}`;
  // clipped so far that no map at all would be nearer
  if ([lo, hi].every((d) => Math.abs(Math.min(held[1], Math.max(held[0], d)) - d) > Math.abs(d)))
    return `${said} hold values from ${held[0].toPrecision(4)} to ${held[1].toPrecision(4)}, but ${measured}, so all of it would be clipped; choose them anew or fit them.`;
  const largest = Math.max(Math.abs(lo), Math.abs(hi));
  const step = Math.max(...[lo, hi, 0].map((d) => stepAt(encoding, Math.min(to, Math.max(from, d / scale + midpoint)))));
  return largest > 0 && step / 2 > largest
    ? `${said} hold steps of ${step.toPrecision(4)}, but ${measured}, so all of it would be rounded to nothing; choose them anew or fit them.`
    : null;
}

const together = (ends: readonly Ends[]): Ends => [Math.min(...ends.map((e) => e[0])), Math.max(...ends.map((e) => e[1]))];

/** Lowest and highest value a channel over class 1; empty where there is none. */
function channelEnds(fields: readonly Field[]): Ends[] {
  const found = fields.map(extremesOf).filter(({ coverage }) => coverage[0] !== 0);
  if (found.length === 0) return [];
  const { channels } = found[0];
  return Array.from({ length: channels }, (_, k): Ends => [
    Math.min(...found.map((f) => f.values[k])),
    Math.max(...found.map((f) => f.values[channels + k])),
  ]);
}
