import type { DeliveredMap, Manifest } from '@estampe/contracts';
import type { PolyMesh, SurfaceOptions } from '@estampe/core';
import { diagonalOf, faceCount, pointCount } from '@estampe/core';
import { meshHash } from '@estampe/node';
import { TRIANGULATION } from './names';

/** A file of a delivery. */
export interface DeliveredFile {
  readonly file: string;
  readonly sha256: string;
  readonly bytes: number;
}

export interface ManifestParts {
  readonly asset: string;
  readonly version: number;
  /** ISO 8601. */
  readonly createdAt: string;
  readonly unit: Manifest['unit'];
  readonly low: PolyMesh;
  readonly lowLevel: number;
  readonly lowFile: DeliveredFile;
  readonly tiles: readonly number[];
  readonly sculpt: PolyMesh;
  /** Null for a free sculpt. */
  readonly sculptLevel: number | null;
  /** Null when the sculpt stays at home. */
  readonly sculptFile: DeliveredFile | null;
  /** Render subdivisions that were proven. */
  readonly steps: number;
  readonly surface: SurfaceOptions;
  readonly maps: readonly DeliveredMap[];
}

/** The one description of a delivery, wherever it is put together. */
export const manifestOf = (p: ManifestParts): Manifest => ({
  format: 'estampe-delivery-1',
  asset: p.asset,
  version: p.version,
  createdAt: p.createdAt,
  unit: p.unit,
  low: {
    ...p.lowFile,
    meshHash: meshHash(p.low),
    points: pointCount(p.low),
    faces: faceCount(p.low),
    level: p.lowLevel,
    tiles: [...p.tiles],
    triangulation: TRIANGULATION,
  },
  sculpt: {
    points: pointCount(p.sculpt),
    faces: faceCount(p.sculpt),
    diagonal: diagonalOf(p.sculpt.positions),
    level: p.sculptLevel,
    file: p.sculptFile,
  },
  subdivision: { scheme: 'catmull-clark', steps: p.steps, boundary: p.surface.boundary, uv: p.surface.uv },
  maps: [...p.maps],
});

export const manifestBytes = (manifest: Manifest): Uint8Array => new TextEncoder().encode(`${JSON.stringify(manifest, null, 2)}\n`);
