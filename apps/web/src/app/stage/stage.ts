import type { OnDestroy, ElementRef } from '@angular/core';
import { afterNextRender, ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import type { ProofInfo } from '@estampe/contracts';
import { significant } from '../shared/format';
import { MeshStore } from '../shared/mesh-store';
import type { DrawnMesh } from '../workers/mesh-messages';
import { LightDial } from './light-dial';
import type { LightDirection } from './stage-ref';
import { StageRef } from './stage-ref';

export interface StageSource {
  readonly lowMeshId: string;
  readonly sculptMeshId: string;
  readonly sculptLabel: string;
  /** A lighter rung to draw while the camera moves; null when the sculpt is light. */
  readonly coarseMeshId: string | null;
  readonly proof: ProofInfo | null;
  readonly unit: string;
}
type View = 'sculpt' | 'light mesh' | 'proof' | 'error';

/** Window onto the three.js view: form, proof and error, wipe, light, camera by mouse and keyboard. */
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
    @if (showsError()) {
      <div class="scale num" aria-hidden="true">
        <span>+{{ range() }}</span
        ><i></i><span>{{ '−' + range() }}</span>
      </div>
    }
    <div class="views" role="group" aria-label="What the Stage shows">
      @for (v of views(); track v) {
        <button type="button" class="plain-button" [attr.aria-pressed]="view() === v" (click)="view.set(v)">{{ v }}</button>
      }
      @if (source().proof && view() !== 'sculpt') {
        <button type="button" class="plain-button wipe-button" [attr.aria-pressed]="wiping()" (click)="wiping.set(!wiping())">wipe</button>
      }
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
      background: linear-gradient(var(--stage-top), var(--stage-bottom));
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
      top: 12px;
      color: #fff;
      font: 500 14px var(--serif);
      pointer-events: none;
      text-shadow: 0 0 2px #3a3936;
    }
    .left {
      left: 16px;
    }
    .right {
      right: 16px;
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
      color: #fff;
      text-shadow: 0 0 2px #3a3936;
      pointer-events: none;
    }
    .scale i {
      width: 12px;
      height: 132px;
      border: 1px solid var(--ink);
      background: linear-gradient(var(--madder), var(--leaf), var(--prussian));
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
    .views .wipe-button {
      margin-left: 8px;
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
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  protected ref: StageRef | null = null;
  private readonly ready = signal(false);
  private observer: ResizeObserver | null = null;
  protected dragging: { x: number; y: number; move: boolean } | null = null;

  readonly view = signal<View>('sculpt');
  readonly wiping = signal(true);
  protected readonly wipe = signal(0.5);
  protected readonly wipePercent = computed(() => Math.round(100 * this.wipe()));
  protected readonly light = signal<LightDirection>({ azimuthRad: -0.95, elevationRad: 0.42 });
  protected readonly message = signal<string | null>(null);
  private readonly loaded = signal<{ sculpt: DrawnMesh; low: DrawnMesh; coarse: DrawnMesh | null; proof: DrawnMesh | null } | null>(null);

  protected readonly views = computed<View[]>(() =>
    this.source().proof ? ['sculpt', 'light mesh', 'proof', 'error'] : ['sculpt', 'light mesh'],
  );
  protected readonly showsError = computed(() => this.view() === 'error' && this.source().proof !== null);
  private readonly wiped = computed(() => this.wiping() && this.source().proof !== null && this.view() !== 'sculpt');
  protected readonly leftLabel = computed(() => (this.wiped() ? this.source().sculptLabel : this.nameOf(this.view())));
  protected readonly rightLabel = computed(() => (this.wiped() ? this.nameOf(this.view()) : null));
  private readonly errorRange = computed(() => {
    const report = this.source().proof?.report;
    return report ? (report.tolerance ?? report.distance.p99) : 1;
  });
  protected readonly range = computed(() => `${significant(this.errorRange(), 2)} ${this.source().unit}`);
  protected readonly spoken = computed(
    () => `Stage showing ${this.view()}. Arrow keys turn, plus and minus come nearer and go back, Home shows all.`,
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
    effect(() => {
      const meshes = this.loaded();
      if (!this.ready() || meshes === null) return;
      const view = this.view();
      const mesh = view === 'light mesh' ? meshes.low : view === 'sculpt' ? meshes.sculpt : (meshes.proof ?? meshes.sculpt);
      const shown = { mesh, shading: view === 'error' ? ('error' as const) : ('form' as const) };
      const sculpt = { mesh: meshes.sculpt, shading: 'form' as const };
      this.ref?.setContent({
        left: this.wiped() ? sculpt : shown,
        right: this.wiped() ? shown : null,
        coarse: meshes.coarse,
        errorRange: this.errorRange(),
      });
    });
    effect(() => {
      if (this.ready()) this.ref?.setLight(this.light());
    });
    effect(() => {
      if (this.ready()) this.ref?.setWipe(this.wipe());
    });
  }

  ngOnDestroy(): void {
    this.observer?.disconnect();
    this.ref?.dispose();
  }

  private nameOf(view: View): string {
    return view === 'sculpt' ? this.source().sculptLabel : view === 'error' ? 'error of the proof' : view;
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
