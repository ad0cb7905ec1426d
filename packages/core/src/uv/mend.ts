import type { Mended } from '../mesh/mends';
import { dropLoosePieces, turnFlipped, weldPoints } from '../mesh/mends';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { FindingCode } from './finding';
import { many } from './finding';
import { refinedToQuads } from './refined-to-quads';
import { shiftIslands } from './shift-islands';

export const MEND_NAMES = ['weld', 'drop-pieces', 'turn-flipped', 'shift-islands', 'refine-once'] as const;
export type MendName = (typeof MEND_NAMES)[number];

/** A mend that loses nothing but what it names. */
interface MendKind {
  /** What it takes away. */
  readonly finding: FindingCode;
  /** What its amount is: a distance in scene units, a share of the largest piece's faces, or nothing. */
  readonly amount: 'distance' | 'share' | null;
  /** Whether it changes points or polygons, so that levels refined from the mesh no longer fit. */
  readonly changesSurface: boolean;
  /** Its count in a report. */
  readonly counted: string;
  says(count: number): string;
  /** @param amount null takes the usual one */
  apply(mesh: PolyMesh, amount: number | null): Mended;
}

/** Pieces smaller than this share of the largest are crumbs. */
export const CRUMB_SHARE = 0.02;

export const MENDS: Readonly<Record<MendName, MendKind>> = {
  weld: {
    finding: 'doubled-points',
    amount: 'distance',
    changesSurface: true,
    counted: 'welded',
    says: (n) => `${many(n, 'point')} welded`,
    apply: (mesh, distance) => weldPoints(mesh, distance ?? undefined),
  },
  'drop-pieces': {
    finding: 'loose-pieces',
    amount: 'share',
    changesSurface: true,
    counted: 'piecesDropped',
    says: (n) => `${many(n, 'loose piece')} left out`,
    apply: (mesh, share) => dropLoosePieces(mesh, share ?? CRUMB_SHARE),
  },
  'turn-flipped': {
    finding: 'flipped-faces',
    amount: null,
    changesSurface: true,
    counted: 'turned',
    says: (n) => `${many(n, 'face')} turned round`,
    apply: turnFlipped,
  },
  'shift-islands': {
    finding: 'uv-outside-tiles',
    amount: null,
    changesSurface: false,
    counted: 'islandsShifted',
    says: (n) => `${many(n, 'island')} shifted into the tiles`,
    apply: shiftIslands,
  },
  'refine-once': {
    finding: 'ngons',
    amount: null,
    changesSurface: true,
    counted: 'facesMadeQuads',
    says: (n) => `${many(n, 'face')} of other than four corners made quads, all faces split once`,
    apply: refinedToQuads,
  },
};
