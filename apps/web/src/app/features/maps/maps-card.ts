import type { MapKind } from '@estampe/core';
import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { asksRay, hasAxes, heeds, isFittable, MAP_KIND_NAMES, MAP_KINDS } from '@estampe/core';
import type { AssetDetail, JobInfo, MeasureRecipe, MeasureRequest, SavedRecipe, SpanInfo } from '@estampe/contracts';
import { KIND_WORDS } from '@estampe/contracts';
import { bytes, clock, count, parseNumber } from '../../shared/format';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { KIND_LETTERS, KIND_NAMES } from '../../shared/kinds';
import type { Shot } from '../../shared/tolerance';
import { NO_TOLERANCE } from '../../shared/tolerance';
import { estimate } from './estimate';
import { KindSettings } from './kind-settings';
import { MeasuredMap } from './measured-map';
import { PartTicks } from './part-ticks';
import { RecipeBar } from './recipe-bar';

const SIZES = [512, 1024, 2048, 4096, 8192, 16384];

/** Settings of a span's maps, and what their extraction found. */
@Component({
  selector: 'est-maps-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [JobProgress, KindSettings, MeasuredMap, PartTicks, RecipeBar],
  template: `
    <h2>{{ title() }}</h2>
    @if (job(); as j) {
      <est-job-progress [job]="j" label="Extraction" (stopped)="cancelJob.emit($event)" />
    }
    @if (span()?.outOfDate) {
      <p class="note warn">Out of date: the light mesh has changed since this was measured. Extract again.</p>
    }
    @if (failed(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (measured(); as m) {
      <est-measured-map
        [asset]="asset()"
        [span]="m"
        [shot]="shot()"
        (showMarks)="showMarks.emit()"
        (shotEdited)="shotEdited.emit($event)"
      />
    }
    <details [open]="!span()">
      <summary>{{ span() ? 'Extract again with other settings' : 'Settings' }}</summary>
      <est-recipe-bar
        [asset]="asset()"
        [settings]="settings()"
        [recipes]="recipes()"
        [refused]="recipeMessage()"
        (applied)="set($event)"
        (saved)="recipeSaved.emit($event)"
        (removed)="recipeRemoved.emit($event)"
      />
      <div class="field-row">
        <span id="kinds-label">Maps</span>
        <span class="checks" role="group" aria-labelledby="kinds-label">
          @for (kind of kinds; track kind) {
            <label [title]="why(kind)"
              ><input type="checkbox" [checked]="has(kind)" [disabled]="why(kind) !== '' && !has(kind)" (change)="toggle(kind)" />
              {{ letters[kind] }} {{ words[kind] }}</label
            >
          }
        </span>
      </div>
      @if (asset().tiles.length > 1) {
        <div class="field-row">
          <span id="tiles-label">Tiles</span>
          <span class="checks" role="group" aria-labelledby="tiles-label">
            @for (tile of asset().tiles; track tile) {
              <label class="num"><input type="checkbox" [checked]="ticked(tile)" (change)="tick(tile)" /> {{ tile }}</label>
            }
          </span>
        </div>
      }
      <div class="field-row">
        <label for="from">From level</label>
        <select id="from" (change)="set({ fromLevel: +text($event) })">
          @for (l of asset().levelList; track l.level) {
            <option [value]="l.level" [selected]="l.level === settings().fromLevel">{{ l.level }}, {{ faces(l.faces) }} faces</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="to">To level</label>
        <select id="to" (change)="set({ toLevel: +text($event) })">
          @for (l of asset().levelList; track l.level) {
            <option [value]="l.level" [selected]="l.level === settings().toLevel">{{ l.level }}, {{ faces(l.faces) }} faces</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="size">Map size</label>
        <select id="size" (change)="set({ size: +text($event) })">
          @for (s of sizes; track s) {
            <option [value]="s" [selected]="s === settings().size">{{ s }} x {{ s }}</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="base">Measured from</label>
        <select id="base" (change)="set({ base: text($event) === 'polygons' ? 'polygons' : 'limit' })">
          <option value="limit" [selected]="settings().base === 'limit'">limit surface</option>
          <option value="polygons" [selected]="settings().base === 'polygons'">its polygons</option>
        </select>
      </div>
      <div class="field-row">
        <label for="match">Matched by</label>
        <select id="match" (change)="setMatch(text($event))">
          <option value="auto" [selected]="settings().match === 'auto'">automatic</option>
          <option value="stack" [selected]="settings().match === 'stack'">levels of one stack</option>
          <option value="rays" [selected]="settings().match === 'rays'">rays alone</option>
        </select>
      </div>
      <div class="field-row">
        <label for="reach">Reach ({{ asset().unit }})</label>
        <input
          id="reach"
          type="text"
          inputmode="decimal"
          placeholder="automatic"
          [value]="reachText()"
          (change)="setReach(text($event), $event)"
        />
      </div>
      <div class="field-row">
        <label for="samples">Samples a texel</label>
        <select id="samples" (change)="set({ samples: +text($event) })">
          @for (n of [1, 2, 3, 4]; track n) {
            <option [value]="n" [selected]="n === settings().samples">{{ n * n }}</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="padding">Padding</label>
        <select id="padding" (change)="set({ padding: +text($event) })">
          @for (p of [4, 8, 16, 32, 64]; track p) {
            <option [value]="p" [selected]="p === settings().padding">{{ p }} texels</option>
          }
          <option [value]="-1" [selected]="settings().padding === -1">fill the tile</option>
        </select>
      </div>
      <div class="field-row">
        <label for="boundary">Open borders</label>
        <select id="boundary" (change)="set({ boundary: text($event) === 'edge-only' ? 'edge-only' : 'edge-and-corner' })">
          <option value="edge-and-corner" [selected]="settings().boundary === 'edge-and-corner'">edges and corners held</option>
          <option value="edge-only" [selected]="settings().boundary === 'edge-only'">edges held</option>
        </select>
      </div>
      <div class="field-row">
        <label for="uv">UVs subdivide</label>
        <select id="uv" (change)="setUv(text($event))">
          <option value="linear" [selected]="settings().uv === 'linear'">linearly</option>
          <option value="corners" [selected]="settings().uv === 'corners'">smoothly, corners held</option>
          <option value="boundaries" [selected]="settings().uv === 'boundaries'">smoothly, borders held</option>
          <option value="smooth" [selected]="settings().uv === 'smooth'">smoothly everywhere</option>
        </select>
      </div>
      <label class="line"
        ><input type="checkbox" [checked]="settings().matchSeams" (change)="set({ matchSeams: !settings().matchSeams })" /> match seams:
        both sides of an island's border read alike</label
      >
      @if (fittable()) {
        <label class="line"
          ><input type="checkbox" [checked]="settings().fitTexels" (change)="set({ fitTexels: !settings().fitTexels })" /> fit texels to the
          filter: what is read between texels is right too</label
        >
      }
      <est-kind-settings [settings]="settings()" [unit]="asset().unit" [free]="free()" (edited)="set($event)" />
      @if (asset().parts.length > 1) {
        <est-part-ticks [(ticked)]="others" [asset]="asset()" [settings]="settings()" (copied)="recipeCopied.emit($event)" />
      }
      @if (problem(); as text) {
        <p class="note warn">{{ text }}</p>
      }
      <p class="actions">
        <span class="muted num before">{{ before() }}</span>
        <button type="button" class="act-button" [disabled]="problem() !== null" (click)="press()">
          {{ others().length > 0 ? 'Extract ' + (others().length + 1) + ' parts' : 'Extract' }}
        </button>
      </p>
    </details>
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (measured()) {
      <p class="actions"><button type="button" class="act-button" (click)="next.emit()">Calibrate</button></p>
    }
  `,
  styles: `
    h2 {
      font-size: 18px;
      line-height: 26px;
      margin-bottom: 8px;
    }
    summary {
      cursor: pointer;
      padding: 8px 0;
      font-weight: 600;
    }
    .checks {
      display: inline-grid;
      grid-template-columns: auto auto;
      gap: 2px 14px;
    }
    .checks label {
      white-space: nowrap;
    }
    .checks label,
    .line {
      display: inline-flex;
      align-items: baseline;
      gap: 6px;
    }
    .line {
      padding: 6px 0;
    }
    .before {
      flex: 1;
    }
    .actions {
      display: flex;
      align-items: center;
      justify-content: flex-end;
      margin: 14px 0;
    }
  `,
})
export class MapsCard {
  readonly asset = input.required<AssetDetail>();
  readonly span = input<SpanInfo | null>(null);
  readonly settings = input.required<MeasureRequest>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  /** The shot that the asset is looked at in. */
  readonly shot = input<Shot>(NO_TOLERANCE.shot);
  readonly shotEdited = output<Shot>();
  readonly recipes = input<readonly SavedRecipe[]>([]);
  readonly recipeMessage = input<string | null>(null);
  readonly recipeSaved = output<MeasureRecipe>();
  readonly recipeRemoved = output<string>();
  readonly edited = output<Partial<MeasureRequest>>();
  /** Pressed, with the ids of the other parts that are ticked. Whoever listens reads the settings anew: this card may be a moment behind what was set last. */
  readonly extract = output<readonly string[]>();
  readonly recipeCopied = output<readonly string[]>();
  /** Ids of parts that are measured in the same go. */
  protected readonly others = linkedSignal<string, readonly string[]>({ source: () => this.asset().part.id, computation: () => [] });
  readonly cancelJob = output<string>();
  readonly next = output();
  readonly showMarks = output();

  protected readonly sizes = SIZES;
  protected readonly kinds = MAP_KIND_NAMES;
  protected readonly letters = KIND_LETTERS;
  protected readonly words = KIND_WORDS;
  protected readonly free = computed(() => this.asset().stackKind === 'free');
  protected readonly shown = computed(() => this.span()?.settings ?? this.settings());
  protected readonly title = computed(() => {
    const { fromLevel, toLevel } = this.shown();
    const span = this.span();
    return `${span ? KIND_NAMES[span.settings.kind] : 'New span'}, level ${fromLevel} to ${toLevel}`;
  });
  private readonly mine = (j: JobInfo): boolean => j.kind === 'extract' && j.spanId === this.extractedWith();
  /** Several maps of one pass share a job, which names the first of their spans. */
  private readonly extractedWith = computed(() => {
    const span = this.span();
    if (!span) return null;
    const known = this.jobs().some((j) => j.kind === 'extract' && j.spanId === span.id);
    if (known) return span.id;
    const spans = this.asset().spans;
    return spans[spans.findIndex((s) => s.id === span.id) - 1]?.id ?? span.id;
  });
  /** The span once something of it is measured. */
  protected readonly measured = computed(() => (this.span()?.fields.length ? this.span() : null));
  protected readonly job = computed(() => activeJob(this.jobs(), this.mine));
  protected readonly failed = computed(() => {
    const whole = this.asset().tiles.every((tile) => this.span()?.fields.some((f) => f.tile === tile));
    return whole ? null : failureOf(this.jobs(), this.mine);
  });
  protected readonly problem = computed(() => {
    const { fromLevel, toLevel } = this.settings();
    if (fromLevel === toLevel) return 'From and to are the same level, so the map would be empty; choose a higher level to measure to.';
    const { kinds, tiles } = this.settings();
    if (kinds.length === 0) return 'Choose at least one map.';
    if (tiles?.length === 0) return 'Tick at least one tile.';
    const { shade } = this.settings();
    if (shade !== 'none' && kinds.some((kind) => heeds(kind, 'shade')) && !kinds.includes(shade))
      return `Colours are darkened by ${shade} of the same pass: tick it too, or leave the colours as they are.`;
    const reason = kinds.map((kind) => this.why(kind)).find((text) => text !== '');
    if (reason !== undefined) return reason;
    if (fromLevel > toLevel) return 'The span runs downwards; measure from the lighter level to the finer one.';
    return null;
  });
  protected readonly reachText = computed(() => (this.settings().reach === null ? '' : String(this.settings().reach)));
  /** What the pass will take, from what earlier ones took. */
  protected readonly before = computed(() => {
    if (this.problem() !== null) return '';
    const { seconds, bytes: size } = estimate(this.asset(), this.settings());
    return seconds === null ? `about ${bytes(size)}` : `about ${clock(seconds)}, ${bytes(size)}`;
  });

  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected faces(n: number): string {
    return count(n);
  }
  protected has(kind: MapKind): boolean {
    return this.settings().kinds.includes(kind);
  }
  /** Why a kind cannot be measured from the chosen level; empty when it can. */
  protected why(kind: MapKind): string {
    const level = this.asset().levelList.find((l) => l.level === this.settings().toLevel);
    return MAP_KINDS[kind].needs.colours && level?.colours === false
      ? `Level ${level.level} has no point colours; write it with colours and bring it in again.`
      : '';
  }
  /** Whether a kind is asked for whose texels can be fitted to the filter. */
  protected readonly fittable = computed(() => this.settings().kinds.some(isFittable));
  protected ticked(tile: number): boolean {
    return this.settings().tiles?.includes(tile) ?? true;
  }
  protected tick(tile: number): void {
    const all = this.asset().tiles;
    const tiles = all.filter((t) => this.ticked(t) !== (t === tile));
    this.set({ tiles: tiles.length === all.length ? null : tiles });
  }
  protected toggle(kind: MapKind): void {
    const kinds = this.has(kind) ? this.settings().kinds.filter((k) => k !== kind) : [...this.settings().kinds, kind];
    // values that go with vectors are read where the vectors lead: at the same parameters
    const withVectors = hasAxes(kind) && kinds.includes(kind) && !asksRay(kinds);
    this.set({ kinds: MAP_KIND_NAMES.filter((k) => kinds.includes(k)), ...(withVectors ? { forHeights: false } : {}) });
  }
  protected press(): void {
    this.extract.emit(this.others());
  }
  protected set(change: Partial<MeasureRequest>): void {
    this.edited.emit(change);
  }
  protected setMatch(value: string): void {
    this.set({ match: value === 'stack' || value === 'rays' ? value : 'auto' });
  }
  protected setUv(value: string): void {
    this.set({ uv: value === 'corners' || value === 'boundaries' || value === 'smooth' ? value : 'linear' });
  }
  protected setReach(value: string, event: Event): void {
    const reach = value.trim() === '' ? null : parseNumber(value);
    const ok = value.trim() === '' || (reach !== null && reach > 0);
    (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
    if (ok) this.set({ reach });
  }
}
