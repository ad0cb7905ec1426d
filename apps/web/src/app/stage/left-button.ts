import { computed, inject, Injectable, signal } from '@angular/core';
import { FaceMarking } from '../shared/face-marking';
import { LevelBrushing } from '../shared/level-brushing';
import { SeamPicking } from '../shared/seam-picking';
import type { DrawnMesh } from '../workers/mesh-messages';
import type { ScreenPoint } from './lasso';
import { facesInLasso } from './lasso';
import { nearestEdge } from './nearest-edge';
import type { StageRef } from './stage-ref';

/** Pixels between places that a stroke is looked at. */
const STROKE_STEP = 6;
/** Around the place that is pressed by keys, pixels: what a lasso then encircles, and how a press is drawn. */
const KEYS_LASSO = 40;
const KEYS_PRESS = 6;
const CIRCLE_POINTS = 32;

type Place = Pick<MouseEvent, 'offsetX' | 'offsetY'>;
type Held = Pick<MouseEvent | KeyboardEvent, 'shiftKey' | 'altKey'>;

/** What the left button does while a step has faces marked, edges picked or a brush open: it draws a line around faces, presses on a face or an
 *  edge, or brushes over points. */
@Injectable()
export class LeftButton {
  private readonly marking = inject(FaceMarking);
  private readonly picking = inject(SeamPicking);
  private readonly brushing = inject(LevelBrushing);
  private readonly brushes = computed(() => this.brushing.level() !== null);
  /** Whether it marks, picks or brushes; else it turns the view. */
  readonly busy = computed(() => this.marking.mesh() !== null || this.picking.mesh() !== null || this.brushes());
  /** The brush over the view; null while none is open. */
  readonly ring = signal<(ScreenPoint & { readonly radius: number }) | null>(null);
  /** What a stroke began with: the view does not turn meanwhile. */
  private seen: ReturnType<StageRef['facesSeen']> | null = null;
  private readonly encircles = computed(() => this.marking.mesh() !== null && this.marking.tool() === 'lasso');
  private readonly line = signal<readonly ScreenPoint[] | null>(null);
  readonly held = computed(() => this.line() !== null);
  /** The line so far, as a polygon's points; null while there is none. */
  readonly drawn = computed(() => (this.encircles() ? this.line() : null)?.map(({ x, y }) => `${x},${y}`).join(' ') ?? null);

  press({ offsetX: x, offsetY: y }: Place, view: StageRef | null): void {
    const level = this.brushing.level();
    if (level !== null && view !== null) {
      this.seen = view.facesSeen(level.mesh);
      const point = this.pointAt({ x, y }, view, level.mesh);
      if (point === null) this.seen = null;
      else this.brushing.over(point, false);
    }
    this.line.set([{ x, y }]);
  }
  move({ offsetX: x, offsetY: y }: MouseEvent, view: StageRef | null): void {
    if (this.encircles()) this.line.update((line) => [...(line ?? []), { x, y }]);
    const level = this.brushing.level();
    const from = this.line()?.at(-1);
    if (level === null || view === null || this.seen === null || from === undefined) return;
    const steps = Math.floor(Math.hypot(x - from.x, y - from.y) / STROKE_STEP);
    if (steps === 0) return;
    for (let k = 1; k <= steps; k++) {
      const point = this.pointAt({ x: from.x + ((x - from.x) * k) / steps, y: from.y + ((y - from.y) * k) / steps }, view, level.mesh);
      if (point !== null) this.brushing.over(point, true);
    }
    this.line.set([{ x, y }]);
  }
  /** Shows how far the brush would reach. */
  hover({ offsetX: x, offsetY: y }: Place, view: StageRef | null): void {
    this.ring.set(this.brushes() && view !== null ? { x, y, radius: view.pixelsOf(this.brushing.settings().radius) } : null);
  }
  /** Shows what keys would press at a place. */
  aim({ x, y }: ScreenPoint, view: StageRef | null): void {
    const radius = this.brushes() ? (view?.pixelsOf(this.brushing.settings().radius) ?? 0) : this.encircles() ? KEYS_LASSO : KEYS_PRESS;
    this.ring.set(this.busy() ? { x, y, radius } : null);
  }
  /** What a press of the button there does, by keys; a lasso is drawn around the place. */
  pressByKeys({ x, y }: ScreenPoint, held: Held, view: StageRef | null, low: DrawnMesh | null): void {
    this.press({ offsetX: x, offsetY: y }, view);
    if (this.encircles())
      this.line.set(
        Array.from({ length: CIRCLE_POINTS }, (_, k) => {
          const turn = (2 * Math.PI * k) / CIRCLE_POINTS;
          return { x: x + KEYS_LASSO * Math.cos(turn), y: y + KEYS_LASSO * Math.sin(turn) };
        }),
      );
    this.release(held, view, low);
  }
  /** The corner nearest to a place of the view, of the face that is seen there. */
  private pointAt({ x, y }: ScreenPoint, view: StageRef, { positions: p, index }: DrawnMesh): number | null {
    if (this.seen === null) return null;
    const { ids, width, height } = this.seen;
    const [column, row] = [Math.floor(x), Math.floor(y)];
    if (column < 0 || row < 0 || column >= width || row >= height) return null;
    const face = ids[row * width + column] - 1;
    if (face < 0) return null;
    let [best, nearest] = [-1, Infinity];
    // levels are of quads, each two triangles
    for (const v of index.subarray(6 * face, 6 * face + 6)) {
      const at = view.placeOnView(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      const far = Math.hypot(at.x - x, at.y - y);
      if (far < nearest) [best, nearest] = [v, far];
    }
    return best < 0 ? null : best;
  }
  cancel(): void {
    this.line.set(null);
    this.seen = null;
  }
  /** @param low the light mesh as it is shown; null while there is none */
  release({ shiftKey, altKey }: Held, view: StageRef | null, low: DrawnMesh | null): void {
    const line = this.line();
    this.cancel();
    if (this.brushes() || line === null || low === null || view === null) return;
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
