import { plainName } from '@estampe/contracts';
import type { Depth, PolyMesh } from '@estampe/core';

const DEPTH_MARKS: Readonly<Record<Depth, string>> = { 8: '8i', 16: '16i', half: '16f', float: '32f' };

export interface MapNameParts {
  readonly asset: string;
  readonly kind: string;
  readonly fromLevel: number;
  /** Null for a free sculpt. */
  readonly toLevel: number | null;
  readonly depth: Depth;
  readonly fileType: string;
}

/** A name that says what a map is: `harbour-bell_scalar_L0-L4_16i.tif`, with the tile before the ending when there are several. */
export function mapFileName({ asset, kind, fromLevel, toLevel, depth, fileType }: MapNameParts, tile: number, tiles: number): string {
  const to = toLevel === null ? 'sculpt' : `L${toLevel}`;
  return `${plainName(asset)}_${kind}_L${fromLevel}-${to}_${DEPTH_MARKS[depth]}${tiles > 1 ? `.${tile}` : ''}.${fileType}`;
}

/** The file's own name, with its width or a number before the tile and the ending where two maps of a delivery would share one. */
export function freeName(name: string, width: number, taken: ReadonlySet<string>): string {
  const [stem, ...ending] = name.split('.');
  for (let i = 0; ; i++) {
    const mark = i === 0 ? '' : i === 1 ? `_${width}` : `_${width}-${i}`;
    const free = [`${stem}${mark}`, ...ending].join('.');
    if (!taken.has(free)) return free;
  }
}

/** Creases need a format that holds them. */
const ending = ({ creases }: PolyMesh): string => (creases === null ? 'obj' : 'usda');
export const lowFileName = (asset: string, level: number, mesh: PolyMesh): string => `${plainName(asset)}_L${level}.${ending(mesh)}`;
export const sculptFileName = (asset: string, mesh: PolyMesh): string => `${plainName(asset)}_sculpt.${ending(mesh)}`;
/** Folder and zip of a version; versions only ever go up. */
export const deliveryName = (asset: string, version: number): string => `${plainName(asset)}_v${String(version).padStart(3, '0')}`;

export const MANIFEST_FILE = 'manifest.json';
export const SHEET_FILE = 'set-up-sheet.html';

/** How polygons were split, in a manifest's words; tangents depend on it. */
export const TRIANGULATION = 'quads along their shorter diagonal (ties from the first corner), others as a fan from their first corner';
