export type FindingCode =
  | 'no-uvs'
  | 'ngons'
  | 'pinching'
  | 'doubled-points'
  | 'non-manifold'
  | 'folded-fans'
  | 'flipped-faces'
  | 'zero-area'
  | 'holes'
  | 'loose-pieces'
  | 'uv-overlap'
  | 'uv-outside-tiles'
  | 'uv-across-tiles'
  | 'uv-flipped'
  | 'uv-mirrored'
  | 'uv-stretched'
  | 'uv-uneven'
  | 'uv-margin'
  | 'sculpt-far'
  | 'spans-strands'
  | 'base-unsettled'
  | 'points-moved'
  | 'points-renumbered'
  | 'transfer-missed'
  | 'transfer-folded';
export type Severity = 'error' | 'warning' | 'note';

export interface Finding {
  readonly code: FindingCode;
  readonly severity: Severity;
  readonly count: number;
  readonly message: string;
  /** The first faces concerned, at most 1000. */
  readonly faces: readonly number[];
}

/** Faces that a finding names. */
export const MAX_LISTED = 1000;

/** `1 face`, `2 faces`. */
export const many = (n: number, noun: string): string => `${n} ${noun}${n === 1 ? '' : 's'}`;

/** Collects findings; what concerns nothing is none. */
export class Findings {
  readonly list: Finding[] = [];
  /** @param message is given the count: that of the faces, unless another is said */
  add(code: FindingCode, severity: Severity, faces: ArrayLike<number>, message: (n: number) => string, count = faces.length): void {
    if (count > 0)
      this.list.push({
        code,
        severity,
        count,
        message: message(count),
        faces: Array.from({ length: Math.min(faces.length, MAX_LISTED) }, (_, i) => faces[i]),
      });
  }
}
