import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import type { AssetDetail, JobInfo, MeasureRecipe, MeasureRequest, SavedRecipe, SpanInfo } from '@estampe/contracts';
import { bytes, clock } from '../../shared/format';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { KIND_NAMES } from '../../shared/kinds';
import type { Shot } from '../../shared/tolerance';
import { estimate } from './estimate';
import { whyNotMeasured } from './measure-request';
import { MeasureSettings } from './measure-settings';
import { MeasuredMap } from './measured-map';
import { PartTicks } from './part-ticks';
import { RecipeBar } from './recipe-bar';

/** Settings of a span's maps, and what their extraction found. */
@Component({
  selector: 'est-maps-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [JobProgress, MatButtonModule, MatExpansionModule, MeasuredMap, MeasureSettings, PartTicks, RecipeBar],
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
    <mat-expansion-panel [expanded]="!span()">
      <mat-expansion-panel-header>
        <mat-panel-title>{{ span() ? 'Extract again with other settings' : 'Settings' }}</mat-panel-title>
      </mat-expansion-panel-header>
      <est-recipe-bar
        [asset]="asset()"
        [settings]="settings()"
        [recipes]="recipes()"
        [refused]="recipeMessage()"
        (applied)="edited.emit($event)"
        (saved)="recipeSaved.emit($event)"
        (removed)="recipeRemoved.emit($event)"
        (used)="recipeUsed.emit($event)"
      />
      <est-measure-settings [asset]="asset()" [settings]="settings()" (edited)="edited.emit($event)" (transferred)="transferred.emit()" />
      @if (asset().parts.length > 1) {
        <est-part-ticks [(ticked)]="others" [asset]="asset()" [settings]="settings()" (copied)="recipeCopied.emit($event)" />
      }
      @if (problem(); as text) {
        <p class="note warn">{{ text }}</p>
      }
      <p class="actions">
        <span class="muted num before">{{ before() }}</span>
        <button matButton="filled" type="button" [disabled]="problem() !== null" (click)="extract.emit(others())">
          {{ others().length > 0 ? 'Extract ' + (others().length + 1) + ' parts' : 'Extract' }}
        </button>
      </p>
    </mat-expansion-panel>
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (measured()) {
      <p class="actions"><button matButton="filled" type="button" (click)="next.emit()">Calibrate</button></p>
    }
  `,
  styles: `
    h2 {
      font-size: 18px;
      line-height: 26px;
      margin-bottom: 8px;
    }
    .before {
      flex: 1;
    }
  `,
})
export class MapsCard {
  readonly asset = input.required<AssetDetail>();
  readonly span = input<SpanInfo | null>(null);
  readonly settings = input.required<MeasureRequest>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  /** The shot that the asset is looked at in; null while nobody has set one. */
  readonly shot = input<Shot | null>(null);
  readonly shotEdited = output<Shot>();
  readonly recipes = input<readonly SavedRecipe[]>([]);
  readonly recipeMessage = input<string | null>(null);
  readonly recipeSaved = output<MeasureRecipe>();
  readonly recipeRemoved = output<string>();
  /** The production's usual one from now on; null for none. */
  readonly recipeUsed = output<string | null>();
  readonly edited = output<Partial<MeasureRequest>>();
  /** Pressed, with the ids of the other parts that are ticked. Whoever listens reads the settings anew: this card may be a moment behind what was set last. */
  readonly extract = output<readonly string[]>();
  readonly recipeCopied = output<readonly string[]>();
  /** Ids of parts that are measured in the same go. */
  protected readonly others = linkedSignal<string, readonly string[]>({ source: () => this.asset().part.id, computation: () => [] });
  readonly cancelJob = output<string>();
  readonly next = output();
  readonly showMarks = output();
  /** The detail of a free sculpt is to become levels. */
  readonly transferred = output();

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
  protected readonly problem = computed(() => whyNotMeasured(this.asset(), this.settings()));
  /** What the pass will take, from what earlier ones took. */
  protected readonly before = computed(() => {
    if (this.problem() !== null) return '';
    const { seconds, bytes: size } = estimate(this.asset(), this.settings());
    return seconds === null ? `about ${bytes(size)}` : `about ${clock(seconds)}, ${bytes(size)}`;
  });
}
