import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import type { AssetDetail, ExtractSettings, FieldInfo, SpanInfo } from '@estampe/contracts';
import { addressOf, plainName, ROUTES } from '@estampe/contracts';
import { adviseOnRadius, adviseOnSheets, asksRay, gainOverTiles, holdsDirections } from '@estampe/core';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { bytes, clock, count, percent, significant } from '../../shared/format';
import { KIND_NAMES, unitOf } from '../../shared/kinds';
import { ShotFields } from '../../shared/shot-fields';
import type { Shot } from '../../shared/tolerance';
import { proposedShot } from '../../shared/tolerance';
import { densityNotes, densityOf } from './density';
import { ReachChart } from './reach-chart';

/** What helps where nothing is found along the normal. */
const WAY_OUT = {
  alone: 'bring in its other mesh',
  stack: 'measure vectors instead, or mend the sculpt there',
  free: "no map along the normal reaches them; bring the light mesh closer there, or transfer the sculpt onto the light mesh's own levels",
} as const;

const sumOf = (fields: readonly FieldInfo[], of: (f: FieldInfo) => number): number => fields.reduce((n, f) => n + of(f), 0);

/** What fitting the texels did to the reads it was made for: how far they were off before, and are now. */
function fitRows(fields: readonly FieldInfo[], { kind, fitTexels }: ExtractSettings, unit: string): { name: string; value: string }[] {
  const fits = fields.flatMap((f) => (f.fit ? [f.fit] : []));
  if (fits.length === 0) return [];
  const { before, after } = gainOverTiles(fits);
  return [
    {
      name: fitTexels ? 'Reads off, RMS' : 'Seams off, RMS',
      value: `${significant(before, 3)} to ${significant(after, 3)} ${holdsDirections(kind) ? '\u00b0' : unitOf(kind, unit)}`.trim(),
    },
  ];
}

/** What the extraction of a span found: figures over all tiles and tile by tile, where the files are, and what to change. */
@Component({
  selector: 'est-measured-map',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Figures, MatButtonModule, MatExpansionModule, ReachChart, ShotFields],
  template: `
    <est-figures copyable [rows]="results()" />
    @for (text of notes(); track text) {
      <p class="note warn">{{ text }}</p>
    }
    @if (notes().length > 0) {
      <p class="actions"><button matButton="outlined" type="button" (click)="showMarks.emit()">Show where on the surface</button></p>
    }
    @for (text of sizeNotes(); track text) {
      <p class="note warn">{{ text }}</p>
    }
    @if (byRay()) {
      <est-reach-chart [fields]="span().fields" [unit]="asset().unit" />
    }
    <mat-accordion multi displayMode="flat">
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>{{ files().length > 1 ? 'Tile by tile, with the files' : 'The file' }}</mat-panel-title>
        </mat-expansion-panel-header>
        <est-figures [head]="['tile', 'missed', 'time', 'field']" [rows]="files()" />
        @if (absent().length > 0) {
          <p class="note">Not measured yet: {{ absent() }}. Tick them below and extract; they join this span.</p>
        }
      </mat-expansion-panel>
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Seen in {{ seenIn().name || 'a shot' }}</mat-panel-title>
        </mat-expansion-panel-header>
        <est-shot-fields [shot]="seenIn()" [unit]="asset().unit" (edited)="shotEdited.emit($event)" />
      </mat-expansion-panel>
    </mat-accordion>
  `,
})
export class MeasuredMap {
  readonly asset = input.required<AssetDetail>();
  readonly span = input.required<SpanInfo>();
  /** Null while nobody has set one: then the one that frames the asset counts, and nothing is warned of. */
  readonly shot = input.required<Shot | null>();
  readonly showMarks = output();
  readonly shotEdited = output<Shot>();

  /** Whether rays were cast to find it, so that there is a reach to look at. */
  protected readonly byRay = computed(() => asksRay([this.span().settings.kind]));
  protected readonly seenIn = computed(() => this.shot() ?? proposedShot(this.asset().diagonal));
  private readonly density = computed(() => densityOf(this.asset(), this.span(), this.seenIn()));
  protected readonly sizeNotes = computed(() => {
    const radius = adviseOnRadius(this.span().fields.at(0)?.radiusEdges ?? null);
    const notes = densityNotes(this.density(), this.span().settings.size, this.shot());
    return radius === null ? notes : [`${radius[0].toUpperCase()}${radius.slice(1)}`, ...notes];
  });
  protected readonly results = computed((): FigureRow[] => {
    const { fields, settings } = this.span();
    const { unit, tiles } = this.asset();
    const [first] = fields;
    const { perFace, texelUnits, perPixel } = this.density();
    // tiles in which nothing was found have no ends
    const [lows, highs] = [fields.map((f) => f.min).filter((x) => x !== null), fields.map((f) => f.max).filter((x) => x !== null)];
    const several = tiles.length > 1 ? `, ${fields.length < tiles.length ? `${fields.length} of ` : ''}${tiles.length} tiles` : '';
    const rows = [
      { name: 'Size', value: `${first.width} x ${first.height}${several}` },
      {
        name: KIND_NAMES[settings.kind],
        value:
          lows.length === 0
            ? 'nowhere'
            : `${significant(Math.min(...lows))} to ${significant(Math.max(...highs))} ${unitOf(settings.kind, unit)}`.trim(),
      },
      { name: 'Reach', value: `${significant(first.reach)} ${unit}` },
      { name: 'Matched by', value: first.match === 'stack' ? 'levels of one stack' : 'rays' },
      { name: 'Base taken at', value: `level ${first.baseLevel}` },
      { name: 'Texels covered', value: count(sumOf(fields, (f) => f.covered)) },
      { name: 'Missed', value: count(sumOf(fields, (f) => f.missed)) },
      { name: 'Doubtful', value: count(sumOf(fields, (f) => f.doubtful)) },
      ...(this.asset().stackKind === 'free' ? [{ name: 'Mended', value: count(sumOf(fields, (f) => f.mended)) }] : []),
      { name: 'Texels a top face', value: significant(perFace, 3) },
      ...(texelUnits === null ? [] : [{ name: 'A texel spans', value: `${significant(texelUnits, 3)} ${unit}` }]),
      ...(perPixel === null ? [] : [{ name: 'Texels a pixel', value: significant(perPixel, 3) }]),
      ...fitRows(fields, settings, unit),
      { name: 'Rays of the pass', value: count(sumOf(fields, (f) => f.rays)) },
      { name: 'Time of the pass', value: clock(sumOf(fields, (f) => f.seconds)) },
    ];
    return rows.map(({ name, value }) => ({ name, cells: [value] }));
  });
  protected readonly files = computed(() => {
    const { fields, settings: s } = this.span();
    const asset = plainName(this.asset().name);
    return fields.map(({ id, tile, missed, seconds, bytes: size }): FigureRow => {
      const download = `${asset}_${s.kind}_L${s.fromLevel}-L${s.toLevel}_field.${tile}.exr`;
      return {
        name: String(tile),
        cells: [count(missed), clock(seconds), { text: bytes(size), href: addressOf(ROUTES.fieldData, { id }), download }],
      };
    });
  });
  protected readonly absent = computed(() => {
    const measured = new Set(this.span().fields.map((f) => f.tile));
    return this.asset().tiles.filter((tile) => !measured.has(tile)).join(', '); // prettier-ignore
  });
  /** What to change about texels that were missed or are doubtful. */
  protected readonly notes = computed(() => {
    const { fields, settings } = this.span();
    const asked = Math.max(
      1,
      sumOf(fields, (f) => f.covered + f.missed),
    );
    const [missed, doubtful] = [sumOf(fields, (f) => f.missed) / asked, sumOf(fields, (f) => f.doubtful) / asked];
    const notes: string[] = [];
    if (missed > 0) {
      const change =
        settings.reach === null
          ? `The reach was found by itself and covers the sculpt, so these places lie under an overhang or over a hole: ${WAY_OUT[this.asset().stackKind]}.`
          : `The reach was set to ${significant(settings.reach, 3)} ${this.asset().unit}: make it longer, or leave it empty to have it found.`;
      notes.push(`${percent(missed)} of the texels found no sculpt that faces them within the reach. ${change}`);
    }
    const sheets = adviseOnSheets(sumOf(fields, (f) => f.sheets), sumOf(fields, (f) => f.mended), sumOf(fields, (f) => f.covered)); // prettier-ignore
    if (sheets !== null) notes.push(sheets);
    if (doubtful > 0)
      notes.push(
        `${percent(doubtful)} are doubtful: the ray grazes the sculpt or finds two answers about as good, as at steep walls and folds. More samples a texel even them out; look at the largest patches.`,
      );
    return notes;
  });
}
