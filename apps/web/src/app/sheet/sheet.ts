import type { OnDestroy, ElementRef } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatSelectModule } from '@angular/material/select';
import { MatSliderModule } from '@angular/material/slider';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { EncodingSettings, FieldInfo } from '@estampe/contracts';
import type { MapKind, UvLayers } from '@estampe/core';
import { channelsOf, holdsDirections, isInteger, MAP_KINDS } from '@estampe/core';
import { significant } from '../shared/format';
import { unitOf } from '../shared/kinds';
import { FaceMarking } from '../shared/face-marking';
import { IslandPicking } from '../shared/island-picking';
import { byValues, ShownUvColours, uvColour } from '../shared/uv-colours';
import { MendPreview } from '../shared/mend-preview';
import { MeshStore } from '../shared/mesh-store';
import { PieceStore } from '../shared/piece-store';
import { RakingLight } from '../shared/raking-light';
import { Room } from '../shared/room';
import { rangeOf } from '../gauge/range-handles';
import { drawBlocks } from './draw-blocks';
import { drawRubbing } from './relief';
import { SheetNavigation } from './sheet-navigation';
import type { SheetView } from './sheet-picture';
import { faceUnder } from './face-under';
import type { Outlines } from './sheet-picture';
import { drawField, drawGround, drawUvLines, fillUvFaces, paintUvFaces } from './sheet-picture';
import { boxOf, cornerOf, tileAt, viewOf } from './sheet-tiles';
import { ShownFields } from './shown-fields';
import { texelWords } from './texel-words';

/** A canvas to draw on when no map has been measured: UVs only. */
const UV_SIZE = 1024;
const CHOSEN = 'rgb(31 78 107 / 0.35)';
/** Pixels that a hand moves without meaning it. */
const TREMBLE = 4;
const NO_OUTLINES: Outlines = { uvLines: new Float32Array(0), uvLinesOfFaces: null };

/** The flat view: UVs of the light mesh, and the field in them, with exposure and the value under the pointer. */
@Component({
  selector: 'est-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [ShownFields],
  imports: [MatCheckboxModule, MatSelectModule, MatSliderModule, MatTooltipModule],
  template: `
    <div
      #box
      class="box"
      tabindex="0"
      role="application"
      [attr.aria-label]="spoken()"
      (pointerdown)="grab($event)"
      (pointermove)="move($event)"
      (pointerup)="release($event)"
      (pointerleave)="under.set(null)"
      (wheel)="wheel($event)"
      (keydown)="key($event)"
      (dblclick)="navigation.lookAt(null)"
    >
      <canvas #canvas aria-hidden="true"></canvas>
    </div>
    <div class="top">
      <span>{{ title() }}</span>
      @if (tiles().length > 1) {
        <mat-form-field class="tile">
          <mat-select aria-label="Tile to look at" [value]="0" (valueChange)="lookAt($event)">
            <mat-option [value]="0">{{ tiles().length }} tiles</mat-option>
            @for (t of tiles(); track t) {
              <mat-option [value]="t">tile {{ t }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
      }
    </div>
    @if (info()) {
      <div class="tools">
        @if (exposed()) {
          <span class="exposure"
            >exposure
            <mat-slider min="-3" max="6" step="0.25">
              <input matSliderThumb aria-label="Exposure in stops" [value]="exposure()" (valueChange)="exposure.set($event)" />
            </mat-slider>
            <span class="num">{{ exposureText() }}</span></span
          >
        }
        <mat-checkbox [checked]="lines()" (change)="lines.set($event.checked)">UV edges</mat-checkbox>
        @if (single()) {
          <mat-checkbox
            matTooltip="heights as a surface under the raking light of the Stage"
            [checked]="relief()"
            (change)="relief.set($event.checked)"
            >relief</mat-checkbox
          >
        }
      </div>
    }
    <div class="read num" aria-live="off">{{ reading() }}</div>
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
      background: var(--paper);
    }
    .box {
      position: absolute;
      inset: 0;
      touch-action: none;
      cursor: crosshair;
    }
    .box:focus-visible {
      outline-offset: -3px;
    }
    canvas {
      width: 100%;
      height: 100%;
      display: block;
      image-rendering: pixelated;
    }
    .top {
      position: absolute;
      top: 8px;
      left: 12px;
      /* beside the buttons that show and hide the views */
      max-width: calc(100% - 144px);
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 0 12px;
      padding: 2px 8px;
      background: var(--leaf);
      font: 500 14px/20px var(--serif);
    }
    .tools {
      position: absolute;
      left: 12px;
      bottom: 36px;
      display: flex;
      flex-wrap: wrap;
      gap: 4px 16px;
      align-items: center;
      padding: 2px 8px;
      background: var(--leaf);
    }
    .exposure .num {
      white-space: nowrap;
    }
    .exposure {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 0 6px;
    }
    .exposure mat-slider {
      width: 72px;
      min-width: 72px;
      margin-block: -12px;
    }
    .tile {
      width: 110px;
      --mat-form-field-container-height: 22px;
      --mat-form-field-container-vertical-padding: 0;
    }
    .read {
      position: absolute;
      left: 12px;
      bottom: 8px;
      max-width: calc(100% - 24px);
      padding: 2px 8px;
      background: var(--leaf);
      white-space: pre-wrap;
      min-height: 22px;
    }
    .message {
      position: absolute;
      left: 12px;
      top: 40px;
      margin: 0;
      padding: 4px 10px;
      background: var(--leaf);
      border-left: 3px solid var(--ochre);
    }
  `,
})
export class Sheet implements OnDestroy {
  readonly lowMeshId = input.required<string>();
  readonly fields = input.required<readonly FieldInfo[]>();
  readonly encoding = input<EncodingSettings | null>(null);
  readonly unit = input('');
  readonly tiles = input<readonly number[]>([1001]);
  /** The span that is shown, measured or not. */
  readonly spanId = input<string | null>(null);
  /** Whether there are no UVs to show. */
  readonly bare = input(false);
  /** Faces of the light mesh that are lit. */
  readonly lit = input<readonly number[]>([]);

  /** What its values are. */
  readonly kind = input<MapKind>('scalar');

  private readonly shown = inject(ShownFields);
  private readonly meshes = inject(MeshStore);
  private readonly room = inject(Room);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  private readonly observer = new ResizeObserver(() => this.resize());

  private readonly light = inject(RakingLight);
  private readonly pieces = inject(PieceStore);
  /** The first field that is measured; all tiles of a span share size and kind. */
  protected readonly info = computed(() => this.fields().at(0) ?? null);
  protected readonly shownKind = computed((): MapKind | null =>
    this.shown.opened().size > 0 ? this.kind() : (this.shown.loaded().values().next().value?.kind ?? null),
  );
  /** Tiles under way that have no field yet. */
  private readonly rubbings = computed(() => [...this.pieces.of(this.spanId())].filter(([tile]) => !this.shown.has(tile)));
  private readonly own = signal<Outlines>(NO_OUTLINES);
  private readonly preview = inject(MendPreview);
  private readonly outlines = computed((): Outlines => this.preview.of(this.lowMeshId()) ?? this.own());
  private readonly around = computed(() => boxOf(this.outlines().uvLines));
  private readonly layers = signal<UvLayers | null>(null);
  private readonly colours = inject(ShownUvColours).by;
  private readonly marking = inject(FaceMarking);
  private readonly picking = inject(IslandPicking);
  private readonly islands = signal<Uint32Array | null>(null);
  /** Faces of the chosen islands. */
  private readonly chosen = computed(() => {
    const islands = this.islands();
    if (islands === null || !this.picking.some()) return [];
    const own = new Set(this.picking.faces().map((f) => islands[f]));
    return [...islands.keys()].filter((f) => own.has(islands[f]));
  });
  /** Where the pointer went down, and on what. */
  private pressed: { readonly x: number; readonly y: number; readonly face: number; readonly drags: boolean } | null = null;
  private readonly size = signal({ width: 0, height: 0 });
  protected readonly navigation = new SheetNavigation(() => viewOf(this.tiles(), this.texels(), this.size(), this.around()));
  protected readonly exposure = signal(0);
  protected readonly lines = signal(true);
  protected readonly relief = signal(false);
  protected readonly single = computed(() => {
    const kind = this.shownKind();
    return kind !== null && channelsOf(kind) === 1;
  });
  protected readonly under = signal<{ x: number; y: number } | null>(null);
  protected readonly message = this.shown.message;

  private readonly texels = computed(() => this.fields().at(0)?.width ?? UV_SIZE);
  protected readonly title = computed(() => {
    const info = this.info();
    return info ? `${info.width} x ${info.height}` : this.rubbings().length > 0 ? 'being measured' : 'UVs';
  });
  /** Height above rest that is drawn white. */
  private readonly white = computed(() => {
    const kind = this.shownKind();
    const ends = this.fields().flatMap((f) => [Math.abs(f.min ?? 0), Math.abs(f.max ?? 0)]);
    const most = kind && MAP_KINDS[kind].range === 'unit' ? 1 : Math.max(...ends);
    return (most || 1) / 2 ** this.exposure();
  });
  protected readonly exposed = computed(() => this.shownKind() !== null && !holdsDirections(this.shownKind() ?? ''));
  private readonly valueUnit = computed(() => unitOf(this.shownKind() ?? 'scalar', this.unit()));
  protected readonly exposureText = computed(() => `white at ${significant(this.white(), 3)} ${this.valueUnit()}`.trim());
  protected readonly reading = computed(() => {
    const under = this.under();
    if (!under || !this.info())
      return this.info() ? 'point at a texel to read it' : this.bare() ? 'no UVs yet: unwrap in the step Sheet' : 'no map in this span yet';
    const at = tileAt(under.x, under.y, this.texels());
    const kind = this.shownKind();
    const texel = this.shown.texel(at);
    if ((!texel || kind === null) && this.fields().some((f) => f.tile === at.tile)) return `tile ${at.tile} is being read`;
    if (!texel || kind === null) return this.tiles().includes(at.tile) ? `tile ${at.tile} is not measured` : 'outside the tiles';
    const tile = this.tiles().length > 1 ? `${at.tile} ` : '';
    return `${tile}texel ${at.x}, ${at.y}  ${texelWords(texel, kind, this.valueUnit(), this.encoding())}`;
  });
  protected readonly spoken = computed(() => {
    const all = this.fields();
    const sum = (of: (f: FieldInfo) => number): number => all.reduce((n, f) => n + of(f), 0);
    const ends = [Math.min(...all.map((f) => f.min ?? 0)), Math.max(...all.map((f) => f.max ?? 0))] as const;
    return all.length > 0
      ? `Sheet: ${sum((f) => f.covered)} texels covered, ${sum((f) => f.missed)} missed, ${sum((f) => f.doubtful)} doubtful; values ${significant(ends[0])} to ${significant(ends[1])} ${this.valueUnit()}. Arrow keys move, plus and minus zoom, Home shows all.`
      : 'Sheet with the UVs of the light mesh';
  });

  constructor() {
    effect((onCleanup) => {
      this.observer.observe(this.box().nativeElement);
      onCleanup(() => this.observer.disconnect());
    });
    const pointed = computed(() => {
      const under = this.under();
      return under && tileAt(under.x, under.y, this.texels());
    });
    this.shown.follow(this.fields, pointed);
    effect(() => {
      // a place in texels means nothing in another size
      this.texels();
      untracked(() => this.navigation.lookAt(null));
    });
    effect(() => {
      this.meshes.light(this.lowMeshId()).then(
        (mesh) => {
          this.own.set(mesh);
          this.layers.set(mesh.uvLayers);
          this.islands.set(mesh.islands);
          this.picking.dragged.set(null);
        },
        () => this.own.set(NO_OUTLINES),
      );
    });
    effect(() => this.draw());
  }

  ngOnDestroy(): void {
    this.observer.disconnect();
  }

  protected lookAt(tile: number): void {
    this.navigation.lookAt(tile === 0 ? null : viewOf([tile], this.texels(), this.size()));
  }
  private resize(): void {
    const { clientWidth, clientHeight } = this.box().nativeElement;
    this.size.set({ width: clientWidth, height: clientHeight });
  }
  private draw(): void {
    const { width, height } = this.size();
    if (width === 0 || height === 0) return;
    const canvas = this.canvas().nativeElement;
    const context = canvas.getContext('2d');
    if (context === null) return;
    const view = this.navigation.view();
    canvas.width = width;
    canvas.height = height;
    const ground = this.room.colour('--paper');
    const image = context.createImageData(width, height);
    drawGround(image, rgbOf(ground));
    const n = this.texels();
    /** The view from a tile's own corner. */
    const from = (tile: number): SheetView => {
      const [x, y] = cornerOf(tile, n);
      return { ...view, x: view.x - x, y: view.y - y };
    };
    const light = this.light.direction();
    const e = this.encoding();
    const look = {
      white: this.white(),
      range: e !== null && isInteger(e.depth) && this.single() ? rangeOf(e) : null,
      ground: rgbOf(ground),
      greenDown: e?.green === 'down',
      light: this.relief() ? light : null,
    };
    const { blocks } = this.shown;
    const by = byValues(this.colours());
    const values = by === null ? null : this.layers()?.[by];
    const own = this.marking.mesh()?.meshId === this.lowMeshId() && this.outlines() === this.own();
    const groups = own ? this.marking.colourOf() : null;
    const paint = groups ?? (by !== null && values ? (f: number) => uvColour(by, values[f]) : null);
    // colours of UVs stand on paper, not on a map
    const maps = paint ? { loaded: [], opened: [] } : { loaded: this.shown.loaded(), opened: this.shown.opened() };
    for (const [tile, field] of maps.loaded) drawField(image, field, from(tile), look);
    blocks.arrived();
    for (const [tile, { id, field }] of maps.opened)
      drawBlocks(image, field, this.kind(), from(tile), look, (level, x, y, wanted) => blocks.block(id, level, x, y, wanted));
    const rubbings = this.rubbings();
    for (const [tile, rubbing] of rubbings) drawRubbing(image, rubbing, from(tile), n, light);
    context.putImageData(image, 0, 0);
    if (paint) paintUvFaces(context, this.outlines(), paint, n, view);
    context.fillStyle = this.room.colour('--ochre');
    fillUvFaces(context, this.outlines(), this.lit(), n, view);
    context.fillStyle = CHOSEN;
    fillUvFaces(context, this.outlines(), this.chosen(), n, view);
    const dragged = this.picking.dragged();
    // drawn where they would be: as if one looked from elsewhere
    if (dragged)
      fillUvFaces(context, this.outlines(), this.chosen(), n, { ...view, x: view.x - dragged[0] * n, y: view.y + dragged[1] * n });
    const drawn = this.shown.loaded().size + this.shown.opened().size + rubbings.length > 0;
    if (drawn && !this.lines()) return;
    context.lineWidth = 1;
    context.strokeStyle = this.room.colour('--ink');
    for (const tile of this.tiles()) {
      const { x, y } = from(tile);
      context.strokeRect(-x * view.zoom + width / 2, -y * view.zoom + height / 2, n * view.zoom, n * view.zoom);
    }
    context.strokeStyle = drawn ? 'rgba(31, 78, 107, 0.2)' : this.room.colour('--prussian');
    drawUvLines(context, this.outlines().uvLines, n, view);
  }
  private placeOf({ clientX, clientY }: PointerEvent | WheelEvent): { readonly x: number; readonly y: number } {
    return this.navigation.placeAt(clientX, clientY, this.box().nativeElement.getBoundingClientRect());
  }
  protected grab(event: PointerEvent): void {
    this.box().nativeElement.setPointerCapture(event.pointerId);
    this.navigation.grab(event.clientX, event.clientY);
    if (!this.picking.open() || event.button !== 0) return;
    const { u, v } = this.uvOf(event);
    const face = faceUnder(this.outlines(), u, v);
    const islands = this.islands();
    const drags = face >= 0 && islands !== null && !event.shiftKey && this.picking.faces().some((f) => islands[f] === islands[face]);
    this.pressed = { x: event.clientX, y: event.clientY, face, drags };
  }
  private uvOf(event: PointerEvent): { readonly u: number; readonly v: number } {
    const { x, y } = this.placeOf(event);
    return { u: x / this.texels(), v: 1 - y / this.texels() };
  }
  protected release(event: PointerEvent): void {
    const { pressed } = this;
    this.pressed = null;
    if (pressed === null) return;
    if (pressed.drags && this.picking.dragged() !== null) {
      this.picking.drop();
      return;
    }
    const islands = this.islands();
    if (islands === null || Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) > TREMBLE) return;
    if (pressed.face >= 0) this.picking.choose(pressed.face, islands, event.shiftKey);
    else this.picking.clear();
  }
  protected move(event: PointerEvent): void {
    const { x, y } = this.placeOf(event);
    this.under.set({ x: Math.floor(x), y: Math.floor(y) });
    const { pressed } = this;
    if (pressed?.drags) {
      const scale = this.navigation.view().zoom * this.texels();
      const by: readonly [number, number] = [(event.clientX - pressed.x) / scale, (pressed.y - event.clientY) / scale];
      if (this.picking.dragged() !== null || Math.hypot(...by) * scale > TREMBLE) this.picking.dragged.set(by);
    } else if (event.buttons !== 0) this.navigation.drag(event.clientX, event.clientY);
  }
  protected wheel(event: WheelEvent): void {
    event.preventDefault();
    this.navigation.turn(event.deltaY, this.placeOf(event));
  }
  protected key(event: KeyboardEvent): void {
    if (this.navigation.key(event.key)) event.preventDefault();
  }
}

/** `#rrggbb` as three numbers. */
function rgbOf(hex: string): readonly [number, number, number] {
  const n = Number.parseInt(hex.slice(1), 16);
  return [n >> 16, (n >> 8) & 255, n & 255];
}
