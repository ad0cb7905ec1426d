import { computed, inject, Injectable, signal } from '@angular/core';
import { FaceMarking } from '../shared/face-marking';
import { SeamPicking } from '../shared/seam-picking';
import type { DrawnMesh } from '../workers/mesh-messages';
import type { ScreenPoint } from './lasso';
import { facesInLasso } from './lasso';
import { nearestEdge } from './nearest-edge';
import type { StageRef } from './stage-ref';

/** What the left button does while a step has faces marked or edges picked: it draws a line around faces, or presses on a face or an edge. */
@Injectable()
export class LeftButton {
  private readonly marking = inject(FaceMarking);
  private readonly picking = inject(SeamPicking);
  /** Whether it marks or picks; else it turns the view. */
  readonly busy = computed(() => this.marking.mesh() !== null || this.picking.mesh() !== null);
  private readonly encircles = computed(() => this.marking.mesh() !== null && this.marking.tool() === 'lasso');
  private readonly line = signal<readonly ScreenPoint[] | null>(null);
  readonly held = computed(() => this.line() !== null);
  /** The line so far, as a polygon's points; null while there is none. */
  readonly drawn = computed(
    () =>
      this.line()
        ?.map(({ x, y }) => `${x},${y}`)
        .join(' ') ?? null,
  );

  press({ offsetX: x, offsetY: y }: MouseEvent): void {
    this.line.set([{ x, y }]);
  }
  move({ offsetX: x, offsetY: y }: MouseEvent): void {
    if (this.encircles()) this.line.update((line) => [...(line ?? []), { x, y }]);
  }
  cancel(): void {
    this.line.set(null);
  }
  /** @param low the light mesh as it is shown; null while there is none */
  release({ shiftKey, altKey }: MouseEvent, view: StageRef | null, low: DrawnMesh | null): void {
    const line = this.line();
    this.line.set(null);
    if (line === null || low === null || view === null) return;
    const mode = shiftKey ? 'add' : altKey ? 'take away' : 'instead';
    const { ids, width, height } = view.facesSeen(low);
    if (this.encircles()) {
      this.marking.mark(facesInLasso(ids, width, height, line), mode);
      return;
    }
    const [{ x, y }] = line;
    const within = (at: number, size: number): number => Math.max(0, Math.min(size - 1, Math.floor(at)));
    const face = ids[within(y, height) * width + within(x, width)] - 1;
    if (face < 0) return;
    const seams = this.picking.mesh()?.seams;
    if (seams === undefined) this.marking.flood(face, mode);
    else {
      const { positions: p } = low;
      const edge = nearestEdge(seams, face, line[0], (v) => view.placeOnView(p[3 * v], p[3 * v + 1], p[3 * v + 2]));
      this.picking.toggle(edge, shiftKey);
    }
  }
}
