import type { OnDestroy, ElementRef } from '@angular/core';
import { afterNextRender, ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import type { EncodingSettings, ProofInfo } from '@estampe/contracts';
import { displaces } from '@estampe/contracts';
import type { DataTexture } from 'three';
import { FieldStore } from '../shared/field-store';
import { count, significant } from '../shared/format';
import { MeshStore } from '../shared/mesh-store';
import type { Marks } from '../workers/field-messages';
import type { DrawnMesh } from '../workers/mesh-messages';
import { LightDial } from './light-dial';
import type { Place } from './lights';
import { MARK_CSS, marksTexture } from './marks-texture';
import type { LightDirection, StageSide } from './stage-ref';
import { StageRef } from './stage-ref';

export interface StageSource {
  readonly lowMeshId: string;
  readonly sculptMeshId: string;
  readonly sculptLabel: string;
  /** A lighter rung to draw while the camera moves; null when the sculpt is light. */
  readonly coarseMeshId: string | null;
  /** A mesh with UVs, to lay texels on. */
  readonly sheetedMeshId: string;
  /** The measured field whose marks are laid on it, and its tile; null when there is none. */
  readonly field: { readonly id: string; readonly tile: number } | null;
  readonly encoding: EncodingSettings | null;
  readonly proof: ProofInfo | null;
  readonly unit: string;
  readonly diagonal: number;
}
const VIEWS = ['sculpt', 'light mesh', 'proof', 'error', 'marks'] as const;
type View = (typeof VIEWS)[number];

/** Level lines over the height of a sculpt. */
const LINES = 90;
const FLICKER_MS = 320;
const VISIT_WIPE = 0.3;

/** Window onto the three.js view: form, proof, error and marks, wipe and flicker, level lines, light, camera by mouse and keyboard. */
@Component({
  selector: 'est-stage',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [LightDial],
  template: `
    <div
      #box
      class="box"
      tabindex="0"
      role="application"
      [attr.aria-label]="spoken()"
      (pointerdown)="grab($event)"
      (pointermove)="drag($event)"
      (pointerup)="dragging = null"
      (wheel)="wheel($event)"
      (keydown)="key($event)"
      (dblclick)="ref?.frameAll()"
    >
      <canvas #canvas aria-hidden="true"></canvas>
    </div>
    <div class="label left">{{ leftLabel() }}</div>
    @if (rightLabel(); as label) {
      <div class="label right">{{ label }}</div>
      <div
        class="wipe"
        role="slider"
        tabindex="0"
        aria-label="Wipe between the two sides"
        aria-valuemin="0"
        aria-valuemax="100"
        [attr.aria-valuenow]="wipePercent()"
        [style.left.%]="100 * wipe()"
        (pointerdown)="grabWipe($event)"
        (pointermove)="dragWipe($event)"
        (keydown)="keyWipe($event)"
      >
        <span></span>
      </div>
    }
    @if (shownNow() === 'error') {
      <div class="scale num" [class.size]="sizes()" aria-hidden="true">
        <span>{{ sizes() ? range() : '+' + range() }}</span><i></i><span>{{ sizes() ? '0' : '-' + range() }}</span>
      </div>
    } @else if (shownNow() === 'marks' && marks()) {
      <div class="legend" role="status" aria-label="Texels of note on the surface">
        @for (m of legend(); track m.name) {
          <i [style.background]="m.colour"></i><span>{{ m.name }}</span
          ><span class="num">{{ m.texels }}</span>
        }
      </div>
    } @else if (contours()) {
      <div class="legend" aria-label="Level lines">
        <i class="line" [style.border-color]="'#0f334d'"></i><span>{{ view() }}</span
        ><span></span>
        @if (second()) {
          <i class="line" [style.border-color]="'#a83a2a'"></i><span>{{ second() }}</span
          ><span></span>
        }
        <i class="line" [style.border-color]="'transparent'"></i><span>every</span><span class="num">{{ spacingText() }}</span>
      </div>
    }
    <div class="views" role="group" aria-label="What the Stage shows">
      @for (v of views(); track v) {
        <button type="button" class="plain-button" [attr.aria-pressed]="view() === v" (click)="view.set(v)">{{ v }}</button>
      }
      @if (view() === 'error' && signed()) {
        <button type="button" class="plain-button apart" [attr.aria-pressed]="sizes()" (click)="sizes.set(!sizes())">size only</button>
      }
      @if (compares()) {
        <button type="button" class="plain-button apart" [attr.aria-pressed]="wiping()" (click)="wiping.set(!wiping())">wipe</button>
        <button
          type="button"
          class="plain-button"
          [attr.aria-pressed]="flicker() !== null"
          title="hold to change between sculpt and {{ view() }} (F)"
          (pointerdown)="startFlicker()"
          (pointerup)="stopFlicker()"
          (pointerleave)="stopFlicker()"
          (keydown.space)="startFlicker()"
          (keyup.space)="stopFlicker()"
        >
          flicker
        </button>
      }
      <button type="button" class="plain-button" [attr.aria-pressed]="contours()" (click)="contours.set(!contours())">level lines</button>
    </div>
    <est-light-dial class="dial" [(light)]="light" />
    @if (message(); as m) {
      <p class="message" role="status">{{ m }}</p>
    }
  `,
  styles: `
    :host {
      position: relative;
      display: block;
      overflow: hidden;
      height: 100%;
      background: var(--stage);
    }
    .box {
      position: absolute;
      inset: 0;
      touch-action: none;
      cursor: grab;
    }
    .box:focus-visible {
      outline-offset: -3px;
    }
    canvas {
      width: 100%;
      height: 100%;
      display: block;
    }
    .label {
      position: absolute;
      top: 8px;
      padding: 2px 8px;
      background: var(--leaf);
      font: 500 14px/20px var(--serif);
      pointer-events: none;
    }
    .left {
      left: 16px;
    }
    .right {
      /* clear of the buttons that lie over the views */
      right: 116px;
    }
    .wipe {
      position: absolute;
      top: 0;
      bottom: 0;
      width: 14px;
      margin-left: -7px;
      cursor: ew-resize;
      touch-action: none;
    }
    .wipe::before {
      content: '';
      position: absolute;
      left: 6px;
      top: 0;
      bottom: 0;
      width: 2px;
      background: #fff;
    }
    .wipe span {
      position: absolute;
      top: 50%;
      left: 1px;
      width: 12px;
      height: 36px;
      margin-top: -18px;
      background: var(--leaf);
      border: 1px solid var(--ink);
    }
    .scale {
      position: absolute;
      right: 16px;
      top: 40px;
      display: grid;
      justify-items: end;
      gap: 4px;
      padding: 2px 8px;
      background: var(--leaf);
      pointer-events: none;
    }
    .scale i {
      width: 12px;
      height: 132px;
      border: 1px solid var(--ink);
      background: linear-gradient(#a83a2a, #fbf8f2, #1f4e6b);
    }
    .scale.size i {
      background: linear-gradient(#23211d, #fbf8f2);
    }
    .legend {
      position: absolute;
      right: 16px;
      top: 40px;
      display: grid;
      grid-template-columns: 14px auto auto;
      gap: 2px 8px;
      align-items: center;
      padding: 4px 8px;
      background: var(--leaf);
    }
    .legend i {
      width: 12px;
      height: 12px;
      border: 1px solid var(--ink);
    }
    .legend i.line {
      height: 0;
      border: 0;
      border-top: 3px solid;
    }
    .legend .num {
      text-align: right;
    }
    .views {
      position: absolute;
      left: 12px;
      bottom: 12px;
      display: flex;
      flex-wrap: wrap;
    }
    .views button {
      margin-right: -1px;
    }
    .views .apart {
      margin-left: 8px;
    }
    .views {
      right: 76px;
    }
    .dial {
      position: absolute;
      right: 12px;
      bottom: 12px;
    }
    .message {
      position: absolute;
      left: 16px;
      top: 36px;
      margin: 0;
      padding: 4px 10px;
      background: var(--leaf);
      border-left: 3px solid var(--ochre);
    }
  `,
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
  protected readonly wipePercent = computed(() => Math.round(100 * this.wipe()));
  protected readonly light = signal<LightDirection>({ azimuthRad: -0.95, elevationRad: 0.42 });
  protected readonly message = signal<string | null>(null);
  private readonly loaded = signal<{ sculpt: DrawnMesh; low: DrawnMesh; coarse: DrawnMesh | null; proof: DrawnMesh | null } | null>(null);
  private readonly sheeted = signal<DrawnMesh | null>(null);
  protected readonly marks = signal<Marks | null>(null);
  private readonly texture = signal<DataTexture | null>(null);
  /** Faces of the light mesh that are lit. */
  private readonly lit = signal<readonly number[]>([]);

  protected readonly views = computed<View[]>(() =>
    VIEWS.filter((v) =>
      v === 'proof'
        ? displaces(this.source().proof?.outcome.kind ?? '')
        : v === 'error'
          ? (this.source().proof?.outcome.kind ?? 'values') !== 'values'
          : v !== 'marks' || this.source().field !== null,
    ),
  );
  /** What is really shown: a view that has gone with its span falls back to the sculpt. */
  protected readonly shownNow = computed<View>(() => (this.views().includes(this.view()) ? this.view() : 'sculpt'));
  /** Whether the proof's errors have a sign; angles have none. */
  protected readonly signed = computed(() => this.source().proof?.outcome.kind !== 'normal');
  protected readonly unsigned = computed(() => this.sizes() || !this.signed());
  protected readonly compares = computed(() => this.shownNow() !== 'sculpt' && this.shownNow() !== 'marks');
  private readonly wiped = computed(() => this.wiping() && this.compares() && this.source().proof !== null && this.flicker() === null);
  protected readonly leftLabel = computed(() => {
    if (this.flicker()) return this.flicker()?.sculpt ? this.source().sculptLabel : this.nameOf(this.shownNow());
    return this.wiped() && !this.exchanged() ? this.source().sculptLabel : this.nameOf(this.shownNow());
  });
  protected readonly rightLabel = computed(() =>
    this.wiped() ? (this.exchanged() ? this.source().sculptLabel : this.nameOf(this.shownNow())) : null,
  );
  private readonly errorRange = computed(() => {
    const outcome = this.source().proof?.outcome;
    if (!outcome) return 1;
    // the tolerance ends the colours, unless nearly everything would lie beyond it
    if (outcome.kind === 'values') return 1;
    const spread = outcome.kind === 'normal' ? 2 * outcome.report.normalAngle.p95 : outcome.report.distance.p99;
    return Math.max(outcome.report.tolerance ?? 0, spread);
  });
  protected readonly range = computed(() =>
    this.signed() ? `${significant(this.errorRange(), 2)} ${this.source().unit}` : `${significant(this.errorRange(), 2)}\u00b0`,
  );
  private readonly spacing = computed(() => (this.contours() ? niceStep(this.source().diagonal / LINES) : 0));
  protected readonly spacingText = computed(() => `${significant(this.spacing(), 3)} ${this.source().unit}`);
  /** The surface whose level lines are drawn over those of the view. */
  protected readonly second = computed(() => (this.shownNow() === 'sculpt' || this.shownNow() === 'marks' ? null : 'sculpt'));
  protected readonly legend = computed(() => {
    const m = this.marks();
    return m === null
      ? []
      : [
          { name: 'missed', texels: count(m.missed), colour: MARK_CSS.missed },
          { name: 'doubtful', texels: count(m.doubtful), colour: MARK_CSS.doubtful },
          { name: 'clipped', texels: count(m.clipped), colour: MARK_CSS.clipped },
        ];
  });
  protected readonly spoken = computed(
    () => `Stage showing ${this.shownNow()}. Arrow keys turn, plus and minus come nearer and go back, Home shows all.`,
  );

  constructor() {
    afterNextRender(() => {
      this.ref = new StageRef(this.canvas().nativeElement);
      this.observer = new ResizeObserver(() => {
        const { clientWidth, clientHeight } = this.box().nativeElement;
        if (clientWidth > 0 && clientHeight > 0) this.ref?.resize(clientWidth, clientHeight);
      });
      this.observer.observe(this.box().nativeElement);
      this.ready.set(true);
    });
    let request = 0;
    effect(() => {
      const { lowMeshId, sculptMeshId, coarseMeshId, proof } = this.source();
      const mine = ++request;
      this.message.set('Loading the meshes…');
      Promise.all([
        this.store.level(sculptMeshId),
        this.store.light(lowMeshId),
        coarseMeshId === null ? null : this.store.level(coarseMeshId),
        proof === null ? null : this.store.proof(proof.meshHash, proof.errorsHash),
      ]).then(
        ([sculpt, low, coarse, proofMesh]) => {
          if (mine !== request) return;
          this.loaded.set({ sculpt, low, coarse, proof: proofMesh });
          this.message.set(null);
        },
        (error: unknown) => {
          if (mine === request) this.message.set(error instanceof Error ? error.message : String(error));
        },
      );
    });
    let markRequest = 0;
    effect(() => {
      const { field, encoding, sheetedMeshId } = this.source();
      if (field === null || this.shownNow() !== 'marks') return;
      const mine = ++markRequest;
      Promise.all([this.store.sheeted(sheetedMeshId), this.fields.marks(field.id, encoding)]).then(
        ([mesh, marks]) => {
          if (mine !== markRequest) return;
          this.texture()?.dispose();
          this.sheeted.set(mesh);
          this.marks.set(marks);
          this.texture.set(marksTexture(marks));
        },
        (error: unknown) => this.message.set(error instanceof Error ? error.message : String(error)),
      );
    });
    effect(() => {
      const meshes = this.loaded();
      if (!this.ready() || meshes === null) return;
      const view = this.shownNow();
      const texture = this.texture();
      const field = this.source().field;
      const second = this.second() === null ? null : meshes.sculpt;
      const shown: StageSide =
        view === 'marks'
          ? { mesh: this.sheeted() ?? meshes.low, shading: 'marks', lines: null }
          : view === 'error'
            ? { mesh: meshes.proof ?? meshes.sculpt, shading: this.unsigned() ? 'distance' : 'error', lines: second }
            : {
                mesh: view === 'light mesh' ? meshes.low : view === 'proof' ? (meshes.proof ?? meshes.sculpt) : meshes.sculpt,
                shading: 'form',
                lines: second,
              };
      const sculpt: StageSide = { mesh: meshes.sculpt, shading: 'form', lines: null };
      const flicker = this.flicker();
      const sides = this.wiped() ? (this.exchanged() ? [shown, sculpt] : [sculpt, shown]) : [flicker?.sculpt ? sculpt : shown, null];
      this.ref?.setContent({
        left: sides[0],
        right: sides[1],
        coarse: view === 'marks' ? null : meshes.coarse,
        errorRange: this.errorRange(),
        spacing: this.spacing(),
        marks: texture && field ? { texture, tile: field.tile } : null,
      });
    });
    effect(() => {
      const meshes = this.loaded();
      const faces = this.lit();
      if (!this.ready() || meshes === null || !this.ref) return;
      const found = this.ref.lights.lightFaces(meshes.low, faces);
      if (found) this.ref.flyTo(found.position, found.normal, Math.max(2.5 * found.radius, 0.06 * this.source().diagonal));
      else this.ref.redraw();
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
    this.texture()?.dispose();
    this.observer?.disconnect();
    this.ref?.dispose();
  }

  /** Lights faces of the light mesh and flies there; none puts the lights out. */
  showFaces(faces: readonly number[]): void {
    if (faces.length > 0) {
      this.view.set('light mesh');
      this.wiping.set(false);
    }
    this.lit.set(faces);
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

  private nameOf(view: View): string {
    if (view === 'sculpt') return this.source().sculptLabel;
    if (view === 'error') return this.signed() ? 'error of the proof' : 'angle to the sculpt';
    return view === 'marks' ? 'texels of note' : view;
  }
  protected grab(event: PointerEvent): void {
    this.box().nativeElement.setPointerCapture(event.pointerId);
    this.dragging = { x: event.clientX, y: event.clientY, move: event.button !== 0 || event.shiftKey };
  }
  protected drag(event: PointerEvent): void {
    if (!this.dragging || !this.ref) return;
    const [dx, dy] = [event.clientX - this.dragging.x, event.clientY - this.dragging.y];
    this.dragging = { ...this.dragging, x: event.clientX, y: event.clientY };
    const height = this.box().nativeElement.clientHeight;
    if (this.dragging.move) this.ref.orbit.move(dx / height, dy / height);
    else this.ref.orbit.turn((4 * dx) / height, (4 * dy) / height);
    this.ref.moved();
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
    if (turn) this.ref?.orbit.turn(...turn);
    else if (event.key === '+' || event.key === '=') this.ref?.orbit.nearer(0.85);
    else if (event.key === '-') this.ref?.orbit.nearer(1 / 0.85);
    else if (event.key === 'Home') this.ref?.frameAll();
    else return;
    event.preventDefault();
    this.ref?.moved();
  }
  protected grabWipe(event: PointerEvent): void {
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    event.stopPropagation();
  }
  protected dragWipe(event: PointerEvent): void {
    if (event.buttons === 0) return;
    const { left, width } = this.box().nativeElement.getBoundingClientRect();
    this.wipe.set(Math.min(1, Math.max(0, (event.clientX - left) / width)));
  }
  protected keyWipe(event: KeyboardEvent): void {
    const step = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    this.wipe.update((w) => Math.min(1, Math.max(0, w + step)));
  }
}

/** The next of 1, 2, 5 x 10^k. */
function niceStep(x: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(x, 1e-12)));
  return power * ([1, 2, 5].find((k) => k * power >= x) ?? 10);
}
