import type { EncodingSettings, ExtractSettings } from '@estampe/contracts';

const DEPTH_MARKS = { 8: '8i', 16: '16i', half: '16f', float: '32f' } as const;

/** A name that says what a map is: `harbour-bell_scalar_L0-L4_16i.tif`, with the tile behind it when there are several. */
export function mapFileName(
  asset: string,
  { kind, fromLevel, toLevel }: ExtractSettings,
  { depth, fileType }: EncodingSettings,
  tile: number,
  tiles: number,
): string {
  const plain = asset
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
  return `${plain || 'asset'}_${kind}_L${fromLevel}-L${toLevel}_${DEPTH_MARKS[depth]}${tiles > 1 ? `.${tile}` : ''}.${fileType}`;
}
