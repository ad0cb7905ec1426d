import type { OnDestroy, ElementRef } from '@angular/core';
import { afterNextRender, ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { ProofInfo } from '@estampe/contracts';
import { FieldStore } from '../shared/field-store';
import { FaceMarking } from '../shared/face-marking';
import { LevelBrushing } from '../shared/level-brushing';
import { MendPreview } from '../shared/mend-preview';
import { MeshStore } from '../shared/mesh-store';
import { SeamPicking } from '../shared/seam-picking';
import { RakingLight } from '../shared/raking-light';
import { byValues, ShownUvColours, uvColour } from '../shared/uv-colours';
import type { Marks } from '../workers/field-messages';
import type { DrawnMesh } from '../workers/mesh-messages';
import { LeftButton } from './left-button';
import { LightDial } from './light-dial';
import type { Place } from './lights';
import type { MarkLayers } from './marks-texture';
import { markLayers, sumOfMarks } from './marks-texture';
import { StageLegend } from './stage-legend';
import { StageRef } from './stage-ref';
import type { StageMeshes, StageSource, View } from './stage-view';
import { contentOf, errorRangeOf, isSigned, nameOf, niceStep, viewsOf } from './stage-view';
import { WipeHandle } from './wipe-handle';

/** Level lines over the height of a sculpt. */
const LINES = 90;
const FLICKER_MS = 320;
const VISIT_WIPE = 0.3;

/** Window onto the three.js view: form, proof, error and marks, wipe and flicker, level lines, light, camera by mouse and keyboard. */
@Component({
  selector: 'est-stage',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [LeftButton],
  imports: [LightDial, MatButtonModule, MatButtonToggleModule, MatIconModule, MatTooltipModule, StageLegend, WipeHandle],
  templateUrl: './stage.html',
  styleUrl: './stage.scss',
})
export class Stage implements OnDestroy {
  readonly source = input.required<StageSource>();
  private readonly store = inject(MeshStore);
  private readonly fields = inject(FieldStore);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  protected ref: StageRef | null = null;
  private readonly ready = signal(false);
  private observer: ResizeObserver | null = null;
  protected dragging: { x: number; y: number; move: boolean } | null = null;

  readonly view = signal<View>('sculpt');
  readonly wiping = signal(true);
  readonly contours = signal(false);
  /** Error by its size instead of by its sign. */
  protected readonly sizes = signal(false);
  /** Null while nothing flickers; else whether the sculpt is shown just now. */
  protected readonly flicker = signal<{ readonly sculpt: boolean } | null>(null);
  private flickerTimer = 0;
  /** Whether the sculpt stands on the right of the wipe. */
  private readonly exchanged = signal(false);
  protected readonly wipe = signal(0.5);
  protected readonly light = inject(RakingLight).direction;
  protected readonly message = signal<string | null>(null);
  /** What marks wait for, or why they did not come. */
  protected readonly looking = signal<string | null>(null);
  private readonly come = signal<StageMeshes | null>(null);
  private readonly preview = inject(MendPreview);
  /** The light mesh as a mend would leave it, while one is tried. */
  private readonly mended = computed(() => this.preview.of(this.source().lowMeshId));
  private readonly brushing = inject(LevelBrushing);
  private readonly loaded = computed(() => {
    const come = this.come();
    const low = this.mended();
    const brushed = this.brushing.level();
    if (come !== null && brushed !== null) return { ...come, sculpt: brushed.mesh, coarse: null };
    if (come === null || low === null) return come;
    return { ...come, low, sculpt: this.lightView() === 'sculpt' ? low : come.sculpt };
  });
  private readonly sheeted = signal<DrawnMesh | null>(null);
  /** What is marked on all tiles together. */
  protected readonly marks = signal<ReturnType<typeof sumOfMarks> | null>(null);
  private readonly colours = inject(ShownUvColours).by;
  private readonly marking = inject(FaceMarking);
  private readonly picking = inject(SeamPicking);
  protected readonly left = inject(LeftButton);
  private readonly layers = signal<MarkLayers | null>(null);
  /** Faces of the light mesh that are lit. */
  readonly lit = signal<readonly number[]>([]);
  /** Faces of the sculpt's level that are lit instead. */
  private readonly litAbove = signal<readonly number[]>([]);

  protected readonly views = computed(() => viewsOf(this.source()));
  /** What is really shown: a view that has gone with its span falls back to the sculpt. */
  protected readonly shownNow = computed<View>(() => (this.views().includes(this.view()) ? this.view() : 'sculpt'));
  /** The view that shows the light mesh alone; one mesh by itself has no other. */
  private readonly lightView = computed<View>(() => (this.views().includes('light mesh') ? 'light mesh' : 'sculpt'));
  protected readonly signed = computed(() => isSigned(this.source().proof));
  protected readonly unsigned = computed(() => this.sizes() || !this.signed());
  protected readonly compares = computed(() => this.shownNow() !== 'sculpt' && this.shownNow() !== 'marks');
  private readonly wiped = computed(() => this.wiping() && this.compares() && this.source().proof !== null && this.flicker() === null);
  /** Whether a lighter rung stands in for what is named, while the camera moves. */
  private readonly standsIn = signal(false);
  protected readonly leftLabel = computed(() => {
    if (this.mended() !== null && this.shownNow() === this.lightView()) return 'light mesh as the mend leaves it';
    if (this.brushing.level() !== null && this.shownNow() === 'sculpt') return `${this.source().sculptLabel}, under the brush`;
    if (this.standsIn()) return `${this.source().coarseLabel}, while it moves`;
    if (this.flicker()) return this.flicker()?.sculpt ? this.source().sculptLabel : nameOf(this.shownNow(), this.source());
    return this.wiped() && !this.exchanged() ? this.source().sculptLabel : nameOf(this.shownNow(), this.source());
  });
  protected readonly rightLabel = computed(() =>
    this.wiped() && !this.standsIn() ? (this.exchanged() ? this.source().sculptLabel : nameOf(this.shownNow(), this.source())) : null,
  );
  /** Which of the ways to show it are on. */
  protected readonly ways = computed(() => [
    ...(this.sizes() ? ['size'] : []),
    ...(this.wiping() ? ['wipe'] : []),
    ...(this.contours() ? ['lines'] : []),
  ]);
  protected readonly errorRange = computed(() => errorRangeOf(this.source().proof));
  protected readonly spacing = computed(() => (this.contours() ? niceStep(this.source().diagonal / LINES) : 0));
  protected readonly spoken = computed(
    () =>
      `Stage showing ${this.shownNow()}. Arrow keys turn, with Shift they move, plus and minus come nearer and go back, Home shows all.${
        this.left.busy() ? ' Enter presses what is in the middle, with Shift in addition, with Alt to take it away.' : ''
      }`,
  );

  constructor() {
    afterNextRender(() => {
      this.ref = new StageRef(this.canvas().nativeElement, (shown) => this.standsIn.set(shown));
      this.observer = new ResizeObserver(() => {
        const { clientWidth, clientHeight } = this.box().nativeElement;
        this.ref?.resize(clientWidth, clientHeight);
      });
      this.observer.observe(this.box().nativeElement);
      this.ready.set(true);
    });
    effect(() => {
      const { up } = this.source();
      if (this.ready() && this.ref) {
        this.ref.orbit.up = up;
        this.ref.redraw();
      }
    });
    let request = 0;
    effect(() => {
      const { lowMeshId, sculptMeshId, coarseMeshId, proof, proofCoarser } = this.source();
      const mine = ++request;
      this.message.set('Loading the meshes…');
      const show = async (): Promise<void> => {
        const whole = this.store.level(sculptMeshId);
        const shown = proof === null ? null : this.store.proof(proof, proofCoarser);
        whole.catch(() => undefined); // said below, when its turn comes
        shown?.catch(() => undefined);
        const low = await this.store.light(lowMeshId);
        const coarse = coarseMeshId === null ? null : await this.store.level(coarseMeshId);
        const wanted = (): boolean => mine === request;
        if (coarse !== null && wanted() && this.come() === null) {
          // something to look at until the sculpt has come
          this.come.set({ sculpt: coarse, low, coarse: null, proof: null });
          this.message.set(`${this.source().sculptLabel} is coming; ${this.source().coarseLabel} is shown`);
        }
        const [sculpt, proofMesh] = await Promise.all([whole, shown]);
        if (!wanted()) return;
        this.come.set({ sculpt, low, coarse, proof: proofMesh });
        this.message.set(null);
      };
      show().catch((error: unknown) => {
        if (mine === request) this.message.set(error instanceof Error ? error.message : String(error));
      });
    });
    let markRequest = 0;
    effect(() => {
      const { fields, encoding, sheetedMeshId } = this.source();
      const mine = ++markRequest;
      this.looking.set(null);
      if (fields.length === 0 || this.shownNow() !== 'marks') return;
      const show = async (): Promise<void> => {
        const marks: (readonly [number, Marks])[] = [];
        for (const [i, field] of fields.entries()) {
          if (mine !== markRequest) return;
          const of = fields.length > 1 ? `, tile ${i + 1} of ${fields.length}` : '';
          this.looking.set(`Looking for texels of note${of}…`);
          marks.push([field.tile, await this.fields.marks(field, encoding)]);
        }
        const mesh = await this.store.sheeted(sheetedMeshId);
        if (mine !== markRequest) return;
        this.layers()?.texture.dispose();
        this.sheeted.set(mesh);
        this.marks.set(sumOfMarks(marks.map(([, m]) => m)));
        this.layers.set(markLayers(marks));
        this.looking.set(null);
      };
      show().catch((error: unknown) => {
        if (mine === markRequest) this.looking.set(error instanceof Error ? error.message : String(error));
      });
    });
    effect(() => {
      const meshes = this.loaded();
      if (!this.ready() || meshes === null) return;
      this.ref?.setContent(
        contentOf(meshes, {
          view: this.shownNow(),
          wiped: this.wiped(),
          exchanged: this.exchanged(),
          sculptNow: this.flicker()?.sculpt ?? false,
          unsigned: this.unsigned(),
          spacing: this.spacing(),
          errorRange: this.errorRange(),
          sheeted: this.sheeted(),
          marks: this.layers(),
        }),
      );
    });
    effect(() => {
      const meshes = this.loaded();
      // faces have other numbers on what a mend leaves
      const faces = this.mended() === null ? this.lit() : [];
      const above = this.litAbove();
      if (!this.ready() || meshes === null || !this.ref) return;
      const found = above.length > 0 ? this.ref.lights.lightFaces(meshes.sculpt, above) : this.ref.lights.lightFaces(meshes.low, faces);
      if (found) this.ref.flyTo(found.position, found.normal, Math.max(2.5 * found.radius, 0.06 * this.source().diagonal));
      else this.ref.redraw();
    });
    effect(() => {
      // what is coloured, or tried, is the light mesh; what is brushed the sculpt
      const brushed = this.brushing.level() !== null;
      if (this.colours() === 'none' && !this.left.busy() && this.mended() === null) return;
      this.view.set(brushed ? 'sculpt' : this.lightView());
      this.wiping.set(false);
    });
    effect(() => {
      this.brushing.turn();
      const mesh = this.brushing.level()?.mesh;
      if (this.ready() && mesh) this.ref?.movedPoints(mesh);
    });
    effect(() => {
      const low = this.loaded()?.low;
      const by = byValues(this.colours());
      if (!this.ready() || low === undefined || !this.ref) return;
      const bare = this.shownNow() === this.lightView() && !this.wiped() && !this.flicker();
      const values = by === null || !bare ? null : low.uvLayers?.[by];
      const groups = bare && this.mended() === null ? this.marking.colourOf() : null;
      this.ref.paint.paint(low, groups ?? (by !== null && values ? (f) => uvColour(by, values[f]) : null));
      this.ref.redraw();
    });
    effect(() => {
      const low = this.loaded()?.low;
      if (!this.ready() || low === undefined || !this.ref) return;
      const bare = this.shownNow() === this.lightView() && !this.wiped() && !this.flicker();
      this.ref.seams.show(low.positions, bare ? this.picking.ends() : null);
      this.ref.seams.showAll(low.positions, bare ? (this.picking.mesh()?.seams.edges.edgeVerts ?? null) : null);
      this.ref.redraw();
    });
    let squares = 0;
    effect(() => {
      const mine = ++squares;
      const { lowMeshId } = this.source();
      const bare = this.shownNow() === this.lightView() && !this.wiped() && !this.flicker();
      if (!this.ready() || !this.ref) return;
      const shown = (mesh: DrawnMesh | null): void => {
        if (mine !== squares) return;
        this.ref?.checker.show(mesh);
        this.ref?.redraw();
      };
      if (this.colours() !== 'squares' || !bare) shown(null);
      else
        this.store
          .sheeted(lowMeshId)
          .then(shown, (error: unknown) => this.message.set(error instanceof Error ? error.message : String(error)));
    });
    effect(() => {
      if (this.ready()) this.ref?.setLight(this.light());
    });
    effect(() => {
      if (this.ready()) this.ref?.setWipe(this.wipe());
    });
  }

  ngOnDestroy(): void {
    this.stopFlicker();
    this.layers()?.texture.dispose();
    this.observer?.disconnect();
    this.ref?.dispose();
  }

  /** Lights faces of the light mesh, or of the level that is shown as the sculpt, and flies there; none puts the lights out. */
  showFaces(faces: readonly number[], above = false): void {
    if (faces.length > 0) {
      this.view.set(above ? 'sculpt' : 'light mesh');
      this.wiping.set(false);
    }
    this.lit.set(above ? [] : faces);
    this.litAbove.set(above ? faces : []);
  }
  /** The proof beside the sculpt, or where nothing moves its angles. */
  showProof(proof: ProofInfo): void {
    const views = viewsOf({ ...this.source(), proof, fields: [] });
    this.view.set(views.includes('proof') ? 'proof' : views.includes('error') ? 'error' : this.view());
    this.wiping.set(true);
  }

  /** Flies to a place and rings it. */
  visit({ position, normal }: Place): void {
    this.ref?.lights.point(position);
    // the wipe's edge would lie right on the place
    this.wipe.set(VISIT_WIPE);
    this.ref?.flyTo(position, normal, 0.08 * this.source().diagonal);
  }
  /** Takes rings and lit faces away. */
  clearPlaces(): void {
    this.lit.set([]);
    this.litAbove.set([]);
    this.ref?.lights.clear();
    this.ref?.redraw();
  }
  exchange(): void {
    this.exchanged.update((on) => !on);
  }
  startFlicker(): void {
    if (this.flickerTimer !== 0 || !this.compares()) return;
    this.flicker.set({ sculpt: true });
    this.flickerTimer = window.setInterval(() => this.flicker.update((f) => ({ sculpt: !f?.sculpt })), FLICKER_MS);
  }
  stopFlicker(): void {
    window.clearInterval(this.flickerTimer);
    this.flickerTimer = 0;
    this.flicker.set(null);
  }

  /** A way that has no button just now stays as it is. */
  protected setWays(ways: readonly string[]): void {
    this.contours.set(ways.includes('lines'));
    if (this.compares()) this.wiping.set(ways.includes('wipe'));
    if (this.view() === 'error' && this.signed()) this.sizes.set(ways.includes('size'));
  }

  protected grab(event: PointerEvent): void {
    this.box().nativeElement.setPointerCapture(event.pointerId);
    if (this.left.busy() && event.button === 0) {
      this.left.press(event, this.ref);
      return;
    }
    const turns = this.left.busy() && event.button === 2 && !event.shiftKey;
    this.dragging = { x: event.clientX, y: event.clientY, move: !turns && (event.button !== 0 || event.shiftKey) };
  }
  protected drag(event: PointerEvent): void {
    this.left.hover(event, this.ref);
    if (this.left.held()) {
      this.left.move(event, this.ref);
      return;
    }
    if (!this.dragging || !this.ref) return;
    const [dx, dy] = [event.clientX - this.dragging.x, event.clientY - this.dragging.y];
    this.dragging = { ...this.dragging, x: event.clientX, y: event.clientY };
    const height = this.box().nativeElement.clientHeight;
    if (this.dragging.move) this.ref.orbit.move(dx / height, dy / height);
    else this.ref.orbit.turn((4 * dx) / height, (4 * dy) / height);
    this.ref.moved();
  }
  protected drop(event: PointerEvent): void {
    this.dragging = null;
    this.left.release(event, this.ref, this.pressed());
  }
  /** The light mesh that the left button works on. */
  private pressed(): DrawnMesh | null {
    return this.mended() === null ? (this.come()?.low ?? null) : null;
  }
  private middle(): { x: number; y: number } {
    const { clientWidth, clientHeight } = this.box().nativeElement;
    return { x: clientWidth / 2, y: clientHeight / 2 };
  }
  /** Shows what Enter would press, to who comes by keyboard. */
  protected aim(): void {
    if (this.box().nativeElement.matches(':focus-visible')) this.left.aim(this.middle(), this.ref);
  }
  protected cancel(): void {
    this.dragging = null;
    this.left.cancel();
  }
  protected wheel(event: WheelEvent): void {
    event.preventDefault();
    this.ref?.orbit.nearer(Math.exp(event.deltaY * 0.0012));
    this.ref?.moved();
  }
  protected key(event: KeyboardEvent): void {
    const turns: Record<string, readonly [number, number]> = {
      ArrowLeft: [-0.12, 0],
      ArrowRight: [0.12, 0],
      ArrowUp: [0, -0.12],
      ArrowDown: [0, 0.12],
    };
    const turn = turns[event.key] as readonly [number, number] | undefined;
    const presses = this.left.busy() && (event.key === 'Enter' || event.key === ' ');
    if (presses) this.left.pressByKeys(this.middle(), event, this.ref, this.pressed());
    else if (turn && event.shiftKey) this.ref?.orbit.move(-turn[0] / 2, -turn[1] / 2);
    else if (turn) this.ref?.orbit.turn(...turn);
    else if (event.key === '+' || event.key === '=') this.ref?.orbit.nearer(0.85);
    else if (event.key === '-') this.ref?.orbit.nearer(1 / 0.85);
    else if (event.key === 'Home') this.ref?.frameAll();
    else return;
    event.preventDefault();
    this.left.aim(this.middle(), this.ref);
    if (!presses) this.ref?.moved();
  }
}
