import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatExpansionModule } from '@angular/material/expansion';
import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { KIND_WORDS, MEASURE_DEFAULTS, measureSchema } from '@estampe/contracts';
import type { MapKind } from '@estampe/core';
import { asksRay, hasAxes, isFittable, MAP_KIND_NAMES } from '@estampe/core';
import { count, significant } from '../../shared/format';
import { ChoiceField, choicesOf } from '../../shared/forms/choice-field';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { KIND_LETTERS } from '../../shared/kinds';
import { transferCost } from '../../shared/transfer-cost';
import { KindSettings } from './kind-settings';
import { whyNoKind } from './measure-request';

const SIZES = [512, 1024, 2048, 4096, 8192, 16384].map((value) => ({ value, label: `${value} x ${value}` }));
const SAMPLES = [1, 2, 3, 4].map((value) => ({ value, label: String(value * value) }));
/** Texels beyond the islands, or all of the tile. */
const PADDINGS = [
  ...[4, 8, 16, 32, 64].map((value) => ({ value, label: `${value} texels` })),
  { value: 'fill' as const, label: 'fill the tile' },
];
const BASES = choicesOf({ limit: 'limit surface', polygons: 'its polygons' });
const MATCHES = choicesOf({ auto: 'automatic', stack: 'levels of one stack', rays: 'rays alone' });
const BORDERS = choicesOf({ 'edge-and-corner': 'edges and corners held', 'edge-only': 'edges held' });
const UV_RULES = choicesOf({
  linear: 'linearly',
  corners: 'smoothly, corners held',
  boundaries: 'smoothly, borders held',
  smooth: 'smoothly everywhere',
});
const wordsOf = <T>(choices: readonly { readonly value: T; readonly label: string }[], value: T): string =>
  choices.find((c) => c.value === value)?.label ?? '';

/** What a pass measures and how: what matters first, the rest folded under what it changes. */
@Component({
  selector: 'est-measure-settings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, KindSettings, MatCheckboxModule, MatExpansionModule, NumberField, ReactiveFormsModule],
  template: `
    <div class="ticks" role="group" aria-label="Maps">
      @for (kind of kinds; track kind) {
        <mat-checkbox [checked]="has(kind)" [disabled]="why(kind) !== '' && !has(kind)" [title]="why(kind)" (change)="toggle(kind)">
          {{ letters[kind] }} {{ words[kind] }}
        </mat-checkbox>
      }
    </div>
    @if (asset().tiles.length > 1) {
      <div class="ticks tiles num" role="group" aria-label="Tiles">
        @for (tile of asset().tiles; track tile) {
          <mat-checkbox [checked]="ticked(tile)" (change)="tick(tile)">{{ tile }}</mat-checkbox>
        }
      </div>
    }
    <div class="fields">
      <est-choice-field label="From level" [control]="form.controls.fromLevel" [options]="levels()" />
      <est-choice-field label="To level" [control]="form.controls.toLevel" [options]="levels()" />
      <est-choice-field label="Map size" class="wide" [control]="form.controls.size" [options]="sizes" />
    </div>
    <est-kind-settings
      [form]="form"
      [settings]="settings()"
      [unit]="asset().unit"
      [free]="free()"
      [takes]="takes()"
      (transferred)="transferred.emit()"
    />
    <mat-checkbox [formControl]="form.controls.matchSeams">match seams: both sides of an island's border read alike</mat-checkbox>
    <mat-accordion multi displayMode="flat">
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Surfaces</mat-panel-title>
          <mat-panel-description>{{ surfaces() }}</mat-panel-description>
        </mat-expansion-panel-header>
        <div class="fields">
          <est-choice-field
            label="Measured from"
            class="wide"
            hint="what the renderer displaces: the smooth surface or the flat faces"
            [control]="form.controls.base"
            [options]="bases"
          />
          <est-choice-field
            label="Matched by"
            class="wide"
            hint="how places on both surfaces are paired"
            [control]="form.controls.match"
            [options]="matches"
          />
          <est-number-field
            label="Reach"
            class="wide"
            empty="automatic"
            hint="how far along the normal the sculpt is looked for"
            [unit]="asset().unit"
            [control]="form.controls.reach"
          />
          <est-choice-field
            label="Open borders"
            class="wide"
            hint="as the renderer subdivides them"
            [control]="form.controls.boundary"
            [options]="borders"
          />
          <est-choice-field
            label="UVs subdivide"
            class="wide"
            hint="as the renderer subdivides them"
            [control]="form.controls.uv"
            [options]="uvRules"
          />
        </div>
      </mat-expansion-panel>
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Texels</mat-panel-title>
          <mat-panel-description>{{ texels() }}</mat-panel-description>
        </mat-expansion-panel-header>
        <div class="fields">
          <est-choice-field
            label="Samples a texel"
            class="wide"
            hint="more even out steep places and take as much longer"
            [control]="form.controls.samples"
            [options]="samples"
          />
          <est-choice-field
            label="Padding"
            class="wide"
            hint="how far colours run on past the islands, so that filters find no gap"
            [control]="form.controls.padding"
            [options]="paddings"
          />
        </div>
        @if (fittable()) {
          <mat-checkbox [formControl]="form.controls.fitTexels"
            >fit texels to the filter: what is read between texels is right too</mat-checkbox
          >
        }
      </mat-expansion-panel>
    </mat-accordion>
  `,
  styles: `
    .tiles {
      grid-template-columns: repeat(3, 1fr);
      max-height: 148px;
      overflow: auto;
      border-top: 1px solid var(--rule);
    }
  `,
})
export class MeasureSettings {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<MeasureRequest>();
  readonly edited = output<Partial<MeasureRequest>>();
  readonly transferred = output();
  protected readonly takes = computed(() => transferCost(this.asset()));

  protected readonly form = formOf(measureSchema, MEASURE_DEFAULTS);
  protected readonly sizes = SIZES;
  protected readonly samples = SAMPLES;
  protected readonly paddings = PADDINGS;
  protected readonly bases = BASES;
  protected readonly matches = MATCHES;
  protected readonly borders = BORDERS;
  protected readonly uvRules = UV_RULES;
  protected readonly kinds = MAP_KIND_NAMES;
  protected readonly letters = KIND_LETTERS;
  protected readonly words = KIND_WORDS;
  protected readonly free = computed(() => this.asset().stackKind === 'free');
  protected readonly levels = computed(() =>
    this.asset().levelList.map(({ level, faces }) => ({ value: level, label: `${level}: ${count(faces)} faces` })),
  );
  /** Whether a kind is asked for whose texels can be fitted to the filter. */
  protected readonly fittable = computed(() => this.settings().kinds.some(isFittable));
  protected readonly surfaces = computed(() => {
    const { base, match, reach } = this.settings();
    const reached = reach === null ? '' : `, reach ${significant(reach, 3)}`;
    return `${wordsOf(BASES, base)}${match === 'auto' ? '' : `, ${wordsOf(MATCHES, match)}`}${reached}`;
  });
  protected readonly texels = computed(() => {
    const { samples, padding, fitTexels } = this.settings();
    return `${samples ** 2} ${samples === 1 ? 'sample' : 'samples'}, ${padding === 'fill' ? 'filled' : `${padding} padding`}${fitTexels && this.fittable() ? ', fitted' : ''}`;
  });

  constructor() {
    follow(this.form, this.settings, (change) => this.edited.emit({ ...change, ...this.shadedBy(change.shade) }));
  }

  protected has(kind: MapKind): boolean {
    return this.settings().kinds.includes(kind);
  }
  protected why(kind: MapKind): string {
    return whyNoKind(kind, this.asset(), this.settings());
  }
  protected ticked(tile: number): boolean {
    return this.settings().tiles?.includes(tile) ?? true;
  }
  protected tick(tile: number): void {
    const all = this.asset().tiles;
    const tiles = all.filter((t) => this.ticked(t) !== (t === tile));
    this.edited.emit({ tiles: tiles.length === all.length ? null : tiles });
  }
  protected toggle(kind: MapKind): void {
    const kinds = this.has(kind) ? this.settings().kinds.filter((k) => k !== kind) : [...this.settings().kinds, kind];
    // values that go with vectors are read where the vectors lead: at the same parameters
    const withVectors = hasAxes(kind) && kinds.includes(kind) && !asksRay(kinds);
    this.edited.emit({ kinds: MAP_KIND_NAMES.filter((k) => kinds.includes(k)), ...(withVectors ? { forHeights: false } : {}) });
  }
  /** What darkens is measured in the same pass, so it is ticked along. */
  private shadedBy(shade: MeasureRequest['shade'] | undefined): Partial<MeasureRequest> {
    const { kinds } = this.settings();
    if (shade === undefined || shade === 'none' || kinds.includes(shade)) return {};
    return { kinds: MAP_KIND_NAMES.filter((k) => k === shade || kinds.includes(k)) };
  }
}
