import type { AssetSummary } from '@estampe/contracts';
import * as z from 'zod';

export const ORDERS = { newest: 'newest first', name: 'name', production: 'production', faces: 'faces of the sculpt' } as const;
export const orderSchema = z.enum(Object.keys(ORDERS) as (keyof typeof ORDERS)[]);
export type Order = z.infer<typeof orderSchema>;

const byName = (a: AssetSummary, b: AssetSummary): number => a.name.localeCompare(b.name, undefined, { numeric: true });
const COMPARE: Readonly<Record<Order, (a: AssetSummary, b: AssetSummary) => number>> = {
  newest: (a, b) => b.createdAt.localeCompare(a.createdAt),
  name: byName,
  production: (a, b) => a.production.localeCompare(b.production) || byName(a, b),
  faces: (a, b) => b.topFaces - a.topFaces,
};

/** Assets whose name, parts or production hold every word, in an order. */
export function found(assets: readonly AssetSummary[], words: string, order: Order): AssetSummary[] {
  const wanted = words
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w !== '');
  return assets
    .filter(({ name, production, parts }) => {
      const text = [name, production, ...parts].join(' ').toLowerCase();
      return wanted.every((word) => text.includes(word));
    })
    .sort(COMPARE[order]);
}
