import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatListModule } from '@angular/material/list';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { AssetDetail, JobInfo, UnwrapRequest } from '@estampe/contracts';
import { addressOf, MOST_SERVED_LAYOUT, ROUTES, unwrapSchema } from '@estampe/contracts';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { count, percent, significant } from '../../shared/format';
import { ChoiceField, choicesOf } from '../../shared/forms/choice-field';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import type { UvColours } from '../../shared/uv-colours';
import { FULL } from '../../shared/uv-colours';
import { IslandPicking } from '../../shared/island-picking';
import { SeamPicking } from '../../shared/seam-picking';
import { StateButtons } from '../../shared/state-buttons';
import { openPart } from '../../state/low-states';
import { CHECKS } from '../../stage/checker';
import { GroupWeights } from './group-weights';
import { IslandTools } from './island-tools';
import { SeamPicker } from './seam-picker';

const SIZES = [1024, 2048, 4096, 8192].map((value) => ({ value, label: `${value} x ${value}` }));
const SEAMS = choicesOf({
  auto: 'few, in hollows and out of sight',
  groups: 'at the borders of groups',
  picked: 'along edges that you pick',
});
/** Above this a texel shows that it is longer than wide. */
const MUCH_STRETCH = 1.2;

/** What the UVs of the light mesh are like, new ones, and the way back. */
@Component({
  selector: 'est-sheet-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ChoiceField,
    Figures,
    GroupWeights,
    IslandTools,
    JobProgress,
    MatButtonModule,
    MatButtonToggleModule,
    MatCheckboxModule,
    MatListModule,
    MatTooltipModule,
    NumberField,
    SeamPicker,
    StateButtons,
  ],
  template: `
    <div class="card-head">
      <h2>UVs of the light mesh</h2>
      <est-state-buttons [part]="part()" (went)="goTo($event)" />
    </div>
    @if (rows(); as figures) {
      <est-figures [rows]="figures" label="UVs" />
    } @else if (asset().tiles.length === 0) {
      <p class="note bad">The light mesh has no UVs, and maps need them. Unwrap it here; no polygon is cut and no point moves.</p>
    } @else {
      <p class="note">Nobody has measured these UVs yet; bring the light mesh in again, or unwrap it.</p>
    }
    @if (asset().tiles.length > 0) {
      <p class="colours">
        <span>Colours</span>
        <mat-button-toggle-group aria-label="What the light mesh is coloured by" [value]="colours()" (change)="coloured.emit($event.value)">
          <mat-button-toggle value="none">none</mat-button-toggle>
          <mat-button-toggle value="stretch" matTooltip="how many times as long as wide a texel is on the surface"
            >stretch</mat-button-toggle
          >
          <mat-button-toggle value="density" matTooltip="texels for a length of the surface, beside the mean">density</mat-button-toggle>
          <mat-button-toggle value="squares" matTooltip="numbered squares of each tile, on the Stage">squares</mat-button-toggle>
        </mat-button-toggle-group>
      </p>
      @if (colours() === 'squares') {
        <p class="muted">
          {{ checks }} by {{ checks }} squares a tile, numbered by column and row from its lower left corner: square and alike where UVs are
          even, readable where they are not mirrored.
        </p>
      } @else if (colours() !== 'none') {
        <p class="scale num" role="img" [attr.aria-label]="scaleWords()">
          <span>{{ ends().from }}</span><i [class.density]="colours() === 'density'"></i><span>{{ ends().to }}</span>
        </p>
      }
    }
    @for (image of layouts(); track image.tile) {
      <a matButton="outlined" class="layout" [href]="image.url" download>Layout image{{ layouts().length > 1 ? ' ' + image.tile : '' }}</a>
    }
    @if (asset().tiles.length > 0) {
      <est-island-tools />
      @if (placing(); as j) {
        <est-job-progress [job]="j" label="Placing islands" (stopped)="cancelJob.emit($event)" />
      }
    }
    <h3>Unwrap</h3>
    <p class="muted">Makes new islands, laid flat with little stretch and packed. Levels keep their detail and follow.</p>
    <div class="fields">
      <est-choice-field label="Seams" class="wide" [control]="form.controls.seams" [options]="seams" />
      @if (settings().seams === 'picked') {
        <est-seam-picker class="wide" [meshId]="light()" />
      }
      <est-choice-field label="Map size" class="wide" [control]="form.controls.size" [options]="sizes" />
      <est-number-field label="Margin" unit="texels" [control]="form.controls.margin" />
      <est-number-field label="Tiles" [control]="form.controls.tiles" />
    </div>
    <est-group-weights [meshId]="light()" [made]="part().groups" (changed)="weights.set($event)" />
    @if (job(); as j) {
      <est-job-progress [job]="j" label="Unwrapping" (stopped)="cancelJob.emit($event)" />
    } @else {
      @if (islands.some()) {
        <mat-checkbox [checked]="keeps()" (change)="keeps.set($event.checked)">the chosen islands stay where they are</mat-checkbox>
      }
      <p class="actions">
        <button matButton="filled" type="button" [disabled]="form.invalid || weights() === null" (click)="start()">Unwrap</button>
      </p>
      @if (asset().spans.length > 0) {
        <p class="muted">{{ maps() }} measured before will be marked as out of date; undo makes them current again.</p>
      }
    }
    @if (failed() ?? message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (states().length > 0) {
      <h3>States</h3>
      <mat-selection-list [multiple]="false" [hideSingleSelectionIndicator]="true" aria-label="States of the light mesh">
        @for (s of states(); track s.place) {
          <mat-list-option [value]="s.place" [selected]="s.place === place()" (click)="goTo(s.place)"
            ><span class="num muted place">{{ s.place }}</span
            ><span [class.now]="s.place === place()">{{ s.title }}{{ s.place === place() ? ', now' : '' }}</span></mat-list-option
          >
        }
      </mat-selection-list>
    }
    <p class="actions">
      <button matButton="outlined" type="button" [disabled]="asset().tiles.length === 0" (click)="next.emit()">Maps</button>
    </p>
  `,
  styles: `
    .fields {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 4px 12px;
    }
    .colours {
      display: flex;
      align-items: center;
      gap: 12px;
      margin-top: 8px;
    }
    .scale {
      display: flex;
      align-items: center;
      gap: 8px;
    }
    .scale i {
      flex: 1;
      height: 10px;
      border: 1px solid var(--ink);
      background: linear-gradient(90deg, #fbf8f2, #23211d);
    }
    .scale i.density {
      background: linear-gradient(90deg, #1f4e6b, #fbf8f2, #a83a2a);
    }
    .wide {
      grid-column: 1 / -1;
    }
    .place {
      margin-right: 8px;
    }
    .now {
      font-weight: 600;
    }
    p {
      margin: 4px 0 12px;
    }
  `,
})
export class SheetCard {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<UnwrapRequest>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  readonly edited = output<Partial<UnwrapRequest>>();
  readonly unwrap = output<UnwrapRequest>();
  /** A state of the light mesh to go to. */
  readonly went = output<number>();
  readonly colours = input<UvColours>('none');
  readonly coloured = output<UvColours>();
  readonly cancelJob = output<string>();
  readonly next = output();

  protected readonly ends = computed(() => {
    const most = 2 ** FULL[this.colours() === 'density' ? 'density' : 'stretch'];
    return this.colours() === 'density' ? { from: `1/${most}`, to: `${most} x` } : { from: '1', to: `${most} x` };
  });
  protected readonly scaleWords = computed(() =>
    this.colours() === 'density'
      ? 'from half as many texels as the mean, blue, to twice as many, red'
      : 'from even, pale, to four times as long as wide, dark',
  );
  protected readonly checks = CHECKS;
  protected readonly sizes = SIZES;
  /** Pictures of the islands for painters, one a tile. */
  protected readonly layouts = computed(() =>
    this.asset().tiles.map((tile) => {
      const size = Math.min(this.settings().size, MOST_SERVED_LAYOUT);
      return { tile, url: addressOf(ROUTES.layoutImage, { id: this.asset().part.id }, { tile: String(tile), size: String(size) }) };
    }),
  );
  protected readonly form = formOf(unwrapSchema, unwrapSchema.parse({}));
  protected readonly part = computed(() => openPart(this.asset()));
  protected readonly seams = SEAMS;
  private readonly picking = inject(SeamPicking);
  protected readonly islands = inject(IslandPicking);
  /** Whether chosen islands are packed around. */
  protected readonly keeps = signal(false);
  /** Of groups; null while one cannot be taken. */
  protected readonly weights = signal<UnwrapRequest['weights'] | null>({});
  protected readonly light = computed(() => this.asset().levelList[0].meshId);
  protected readonly states = computed(() => this.part().states);
  protected readonly place = computed(() => this.part().statePlace);
  protected readonly maps = computed(() => {
    const n = this.asset().spans.length;
    return n === 1 ? 'The map' : `The ${n} maps`;
  });
  private readonly mine = (j: JobInfo): boolean => (j.kind === 'unwrap' || j.kind === 'islands') && j.partId === this.asset().part.id;
  protected readonly job = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'unwrap'));
  protected readonly placing = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'islands'));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine));

  protected readonly rows = computed((): FigureRow[] | null => {
    const { uv } = this.part();
    if (uv === null) return null;
    const { islands, overlap, use, stretch, seamLength, smallestGap } = uv;
    return [
      { name: 'Islands', cells: [count(islands)] },
      { name: 'Tiles', cells: [this.asset().tiles.join(' ')] },
      { name: 'Use', cells: [percent(use)] },
      { name: 'Overlap', cells: [{ text: overlap === 0 ? 'none' : `${percent(overlap)} of faces`, bad: overlap > 0 }] },
      ...(stretch.rms === null
        ? []
        : [{ name: 'Stretch, 1 is best', cells: [{ text: significant(stretch.rms, 4), bad: stretch.rms > MUCH_STRETCH }] }]),
      ...(stretch.p95 === null ? [] : [{ name: '95 % of it below', cells: [significant(stretch.p95, 4)] }]),
      { name: 'Seams', cells: [`${significant(seamLength, 4)} ${this.asset().unit}`] },
      { name: 'Smallest gap at 2048', cells: [smallestGap === null ? 'one island' : `${significant(smallestGap, 3)} texels`] },
    ];
  });

  constructor() {
    follow(this.form, this.settings, (change) => this.edited.emit(change));
  }

  protected start(): void {
    const ends = this.picking.ends();
    const keep = this.keeps() ? [...this.islands.faces()] : [];
    const weights = this.weights() ?? {};
    // by the fields, not the settings: a field that was left by this press is not among those yet
    const typed = this.form.getRawValue();
    if (this.form.valid) this.unwrap.emit({ ...typed, keep, weights, edges: typed.seams === 'picked' && ends !== null ? [...ends] : [] });
  }
  protected goTo(place: number): void {
    if (place !== this.place()) this.went.emit(place);
  }
}
