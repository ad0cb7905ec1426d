import { displaces } from '@estampe/core';
import type { EncodingSettings, FieldInfo, ProofInfo, UpAxis } from '@estampe/contracts';
import type { MarkedField } from '../shared/field-store';
import type { DrawnMesh } from '../workers/mesh-messages';
import type { MarkLayers } from './marks-texture';
import type { StageContent, StageSide } from './stage-ref';

export interface StageSource {
  readonly lowMeshId: string;
  readonly sculptMeshId: string;
  readonly sculptLabel: string;
  /** A lighter rung to draw while the camera moves and until the sculpt has come; null when the sculpt is light. */
  readonly coarseMeshId: string | null;
  readonly coarseLabel: string;
  /** A mesh with UVs, to lay texels on. */
  readonly sheetedMeshId: string;
  /** The measured fields whose marks are laid on it, by tile. */
  readonly fields: readonly (MarkedField & Pick<FieldInfo, 'tile'>)[];
  readonly encoding: EncodingSettings | null;
  readonly proof: ProofInfo | null;
  /** Levels of its refinement that are left out of what is drawn of it. */
  readonly proofCoarser: number;
  readonly unit: string;
  /** Which axis points upwards on the screen. */
  readonly up: UpAxis;
  readonly diagonal: number;
}
/** What has more faces is shown some levels coarser where it has levels: a browser has no room for more. */
export const SHOWN_FACES = 8_000_000;

/** Levels of a proof's refinement to leave out. @param lowFaces of the light mesh that was refined */
export function coarserOf(proof: ProofInfo | null, lowFaces: number): number {
  const subdivisions = subdivisionsOf(proof) ?? 0;
  let coarser = 0;
  while (lowFaces * 4 ** (subdivisions - coarser) > SHOWN_FACES && coarser + 1 < subdivisions) coarser++;
  return coarser;
}

/** How often the displaced mesh of a proof was refined; null of one that displaces nothing. */
function subdivisionsOf(proof: ProofInfo | null): number | null {
  const outcome = proof?.outcome;
  return outcome?.kind === 'scalar' || outcome?.kind === 'vector' ? outcome.report.subdivisions : null;
}

export const VIEWS = ['sculpt', 'light mesh', 'proof', 'error', 'marks'] as const;
export type View = (typeof VIEWS)[number];

export interface StageMeshes {
  readonly sculpt: DrawnMesh;
  readonly low: DrawnMesh;
  readonly coarse: DrawnMesh | null;
  readonly proof: DrawnMesh | null;
}

/** The views that a source has something for. */
export const viewsOf = ({
  proof,
  fields,
  lowMeshId,
  sculptMeshId,
}: Pick<StageSource, 'proof' | 'fields' | 'lowMeshId' | 'sculptMeshId'>): View[] =>
  VIEWS.filter((v) =>
    v === 'light mesh'
      ? lowMeshId !== sculptMeshId
      : v === 'proof'
        ? displaces(proof?.outcome.kind ?? '')
        : v === 'error'
          ? (proof?.outcome.kind ?? 'values') !== 'values'
          : v !== 'marks' || fields.length > 0,
  );

/** Whether a proof's errors have a sign; angles have none. */
export const isSigned = (proof: ProofInfo | null): boolean => proof?.outcome.kind !== 'normal';

export function nameOf(
  view: View,
  { sculptLabel, proof, proofCoarser }: Pick<StageSource, 'sculptLabel' | 'proof' | 'proofCoarser'>,
): string {
  if (view === 'sculpt') return sculptLabel;
  const drawn = proofCoarser === 0 ? null : subdivisionsOf(proof);
  const at = drawn === null ? null : `, ${drawn - proofCoarser} subdivision${drawn - proofCoarser === 1 ? '' : 's'}`;
  if (view === 'proof') return `proof${at ?? ''}`;
  if (view === 'error') return !isSigned(proof) ? 'angle to the sculpt' : at === null ? 'error of the proof' : `error${at}`;
  return view === 'marks' ? 'texels of note' : view;
}

/** Error, in scene units or degrees, at which the colours end: the tolerance, unless nearly everything would lie beyond it. */
export function errorRangeOf(proof: ProofInfo | null): number {
  const outcome = proof?.outcome;
  if (!outcome || outcome.kind === 'values') return 1;
  const spread = outcome.kind === 'normal' ? 2 * (outcome.report.normalAngle?.p95 ?? 0) : outcome.report.distance.p99;
  return Math.max(outcome.report.tolerance ?? 0, spread) || 1;
}

/** Which surface stands on which side of the wipe, and how it is shaded. */
export interface StageChoice {
  readonly view: View;
  readonly wiped: boolean;
  /** Whether the sculpt stands on the right of the wipe. */
  readonly exchanged: boolean;
  /** Whether the sculpt is shown instead of the view just now. */
  readonly sculptNow: boolean;
  /** Error by its size instead of by its sign. */
  readonly unsigned: boolean;
  /** Scene units between level lines; 0 for none. */
  readonly spacing: number;
  readonly errorRange: number;
  /** A mesh with UVs to lay marks on; null until it is there. */
  readonly sheeted: DrawnMesh | null;
  readonly marks: MarkLayers | null;
}

/** What is drawn for a choice. The level lines of the sculpt lie over every other surface. */
export function contentOf(meshes: StageMeshes, choice: StageChoice): StageContent {
  const { view } = choice;
  const sculpt: StageSide = { mesh: meshes.sculpt, shading: 'form', lines: null };
  const shown = ((): StageSide => {
    if (view === 'marks') return { mesh: choice.sheeted ?? meshes.low, shading: 'marks', lines: null };
    if (view === 'sculpt') return sculpt;
    const mesh = view === 'light mesh' ? meshes.low : (meshes.proof ?? meshes.sculpt);
    return { mesh, shading: view !== 'error' ? 'form' : choice.unsigned ? 'distance' : 'error', lines: meshes.sculpt };
  })();
  const [left, right] = choice.wiped ? (choice.exchanged ? [shown, sculpt] : [sculpt, shown]) : [choice.sculptNow ? sculpt : shown, null];
  return {
    left,
    right,
    coarse: view === 'marks' ? null : meshes.coarse,
    errorRange: choice.errorRange,
    spacing: choice.spacing,
    marks: choice.marks,
  };
}

/** The next of 1, 2, 5 x 10^k: a spacing of level lines that can be read. */
export function niceStep(x: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(x, 1e-12)));
  return power * ([1, 2, 5].find((k) => k * power >= x * (1 - 1e-12)) ?? 10);
}
