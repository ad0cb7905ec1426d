import type { FieldInfo } from '@estampe/contracts';
import type { Ends } from '@estampe/core';

/** Channels of a field. Fields from before there were spreads do not say. */
export const channelsOfField = ({ ends, spread }: Pick<FieldInfo, 'ends' | 'spread'>): number =>
  ends.length > 0 ? ends.length : (spread?.counts.length ?? 3);

/** Ends of its channels; of fields from before these were kept the outer edges of bars that hold something, so that nothing is cut off. */
export function endsOfField({ ends, spread, min, max }: Pick<FieldInfo, 'ends' | 'spread' | 'min' | 'max'>): readonly Ends[] {
  if (ends.length > 0 || min === null || max === null) return ends;
  if (spread === null) return new Array<Ends>(3).fill({ min, max });
  const { most, counts } = spread;
  return counts.map((bars) => {
    const edge = (bar: number): number => Math.min(max, Math.max(min, ((2 * bar) / bars.length - 1) * most));
    return { min: edge(bars.findIndex((n) => n > 0)), max: edge(bars.findLastIndex((n) => n > 0) + 1) };
  });
}
