import type { WorstPlaceInfo } from '@estampe/contracts';

/** What the card of a step may ask of the bench around it. */
export abstract class Bench {
  /** @param step its name in the address */
  abstract go(step: string): void;
  /** Missed, doubtful and clipped texels on the surface. */
  abstract showMarks(): void;
  /** @param level that the faces are of; the light mesh where it is not said */
  abstract lightFaces(faces: readonly number[], level?: number): void;
  abstract visit(place: WorstPlaceInfo): void;
  abstract cancelJob(jobId: string): void;
  /** @param part of the open asset; null for the first */
  abstract choosePart(part: string | null): void;
}
