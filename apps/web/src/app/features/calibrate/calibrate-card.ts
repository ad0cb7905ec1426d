import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { EncodingSettings, FieldInfo, SpanInfo } from '@estampe/contracts';
import { DEPTHS, encodingSchema } from '@estampe/contracts';
import type { AxisLetters } from '@estampe/core';
import {
  axisLetters,
  defaultFitOf,
  displaces,
  exactMidpoint,
  hasAxes,
  holdsDirections,
  isInteger,
  LEGAL_DEPTHS,
  normalRange,
  UNIT_FIT,
} from '@estampe/core';
import { FieldStore } from '../../shared/field-store';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { bytes, percent, significant } from '../../shared/format';
import { ChoiceField, choicesOf } from '../../shared/forms/choice-field';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { KIND_NAMES } from '../../shared/kinds';
import { midpointText } from '../../shared/midpoint';
import type { DepthFigures, Swatch, TriedFit } from '../../workers/field-messages';
import { adviseOnEncoding } from './encoding-advice';
import type { Depth } from './fits';
import { AxisOrderField } from './axis-order-field';
import { DEPTH_NAMES, fitsOf, fitWish } from './fits';
import { SwatchStrip } from './swatch-strip';

const FILES = choicesOf({ exr: 'OpenEXR', tif: 'TIFF', png: 'PNG' });
const GREENS = choicesOf({ up: 'up, grows with V', down: 'down, against V' });
const BLUES = [
  { value: true, label: 'stored' },
  { value: false, label: 'left out, rebuilt by the renderer' },
];
const CHANNELS = ['Red', 'Green', 'Blue'];
/** What of an encoding is set field by field. */
const FIRST = { fileType: 'tif', midpoint: 0.5, scale: 1, green: 'up', keepBlue: true } satisfies Partial<EncodingSettings>;

/** Bit depth, range and conventions of a span's map; every range and every depth with its figures before it is taken, the terraces they
 *  would show, and one line of advice. */
@Component({
  selector: 'est-calibrate-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AxisOrderField,
    ChoiceField,
    Figures,
    MatButtonModule,
    MatButtonToggleModule,
    MatIconModule,
    MatTooltipModule,
    NumberField,
    SwatchStrip,
  ],
  templateUrl: './calibrate-card.html',
  styleUrl: './calibrate-card.scss',
})
export class CalibrateCard {
  readonly span = input.required<SpanInfo>();
  readonly unit = input('');
  readonly encoding = input<EncodingSettings | null>(null);
  readonly canUndo = input(false);
  readonly canRedo = input(false);
  /** Length; null when none is asked for. */
  readonly tolerance = input<number | null>(null);
  /** What another tab saved meanwhile. */
  readonly theirs = input<EncodingSettings | null>(null);
  readonly saveMessage = input<string | null>(null);
  readonly changed = output<EncodingSettings>();
  readonly undo = output();
  readonly redo = output();
  readonly takeTheirs = output();
  readonly keepOurs = output();
  readonly showMarks = output();
  readonly next = output();

  private readonly store = inject(FieldStore);
  protected readonly depths = DEPTHS;
  protected readonly greens = GREENS;
  protected readonly blues = BLUES;
  protected readonly depthHead = ['', ...DEPTHS.map((d) => DEPTH_NAMES[d])];
  protected readonly form = formOf<Pick<EncodingSettings, keyof typeof FIRST>>(encodingSchema, FIRST);
  /** Whether flat normals are stored exactly. */
  protected readonly flat = new FormControl(false, { nonNullable: true });
  protected readonly names = DEPTH_NAMES;
  private readonly problem = signal<string | null>(null);
  protected readonly message = computed(() => this.problem() ?? this.saveMessage());
  protected readonly kind = computed(() => this.span().settings.kind);
  /** Normals always run from -1 to 1; everything else has a range to choose. */
  protected readonly ranged = computed(() => !holdsDirections(this.kind()));
  protected readonly vector = computed(() => hasAxes(this.kind()));
  protected readonly letters = computed<AxisLetters>(() => axisLetters(this.span().settings.vectorFrame));
  protected readonly title = computed(() => {
    const { fromLevel, toLevel, kind } = this.span().settings;
    return `${KIND_NAMES[kind]}, level ${fromLevel} to ${toLevel}`;
  });
  private readonly fields = computed(() => this.span().fields);
  private readonly figures = signal<Partial<Record<Depth, DepthFigures>>>({});
  private readonly tried = signal<readonly TriedFit[]>([]);
  protected readonly swatch = signal<Swatch | null>(null);

  protected readonly types = computed(() => FILES.filter(({ value }) => LEGAL_DEPTHS[value].includes(this.encoding()?.depth ?? '')));
  protected readonly midpointWritten = (midpoint: number): string => midpointText(this.encoding()?.depth ?? 'float', midpoint);
  protected readonly midpointWords = computed(() => ({ exact: exactMidpoint(this.encoding()?.depth ?? 'float') }));
  protected readonly scaleWritten = (scale: number): string => significant(scale, 7);
  protected readonly eachRows = computed((): FigureRow[] =>
    (this.encoding()?.each ?? []).map(({ midpoint, scale }, k) => ({
      name: CHANNELS[k],
      cells: [significant(midpoint, 5), significant(scale, 5)],
    })),
  );
  protected readonly terraced = computed(() => displaces(this.kind()));
  protected readonly exactRest = computed(() => {
    const e = this.encoding();
    return e !== null && isInteger(e.depth) && Math.abs(e.midpoint - exactMidpoint(e.depth)) < 1e-9;
  });
  protected readonly flats = computed(() => {
    const depth = this.encoding()?.depth;
    if (depth !== '8' && depth !== '16') return null;
    return [
      { value: false, label: 'as one half, rounded' },
      { value: true, label: `exactly (${depth === '8' ? '128/255' : '32768/65535'})` },
    ];
  });
  protected readonly fitHead = computed(() => ['take', 'scale', 'step', 'rest', 'clipped', ...(this.terraced() ? ['terraces'] : [])]);
  /** Ranges of the chosen depth with what each would do. */
  protected readonly fitRows = computed((): FigureRow[] => {
    const e = this.encoding();
    if (e === null || !this.ranged()) return [];
    const known = new Map(this.tried().map((t) => [t.fit, t.result]));
    const rows = fitsOf(this.kind(), e.depth).map(({ fit, name }): FigureRow => {
      const r = known.get(fit);
      const f = r?.figures;
      const cells = f
        ? [significant(f.step, 2), significant(f.restError, 2), percent(f.clippedShare), percent(f.terracedShare, 1)]
        : ['…', '…', '…', '…'];
      return { id: fit, name, now: fit === e.fit, cells: [r ? scaleOf(r.encoding) : '…', ...cells.slice(0, this.terraced() ? 4 : 3)] };
    });
    return e.fit === 'by hand' ? [...rows, { name: 'by hand', now: true, cells: [significant(e.scale, 4)] }] : rows;
  });
  protected readonly columns = computed(() => DEPTHS.map((depth) => ({ depth, result: this.figures()[depth] ?? null })));
  protected readonly rows = computed((): FigureRow[] => {
    const cells = (of: (r: DepthFigures) => string, bad: (r: DepthFigures) => boolean = () => false) =>
      this.columns().map(({ result }) => ({ text: result ? of(result) : '…', bad: result !== null && bad(result) }));
    const angle = (x: number | undefined): string => (x === undefined ? '–' : `${significant(x, 2)}\u00b0`);
    const size = { name: 'raw size', cells: cells((r) => bytes(r.bytes)) };
    if (!this.ranged())
      return [
        { name: 'flat is off by', cells: cells((r) => angle(r.angles?.rest), (r) => (r.angles?.rest ?? 0) > 0.01) },
        { name: 'rounding RMS', cells: cells((r) => angle(r.angles?.rms)) },
        { name: 'rounding, most', cells: cells((r) => angle(r.angles?.max)) },
        { name: 'lost', cells: cells((r) => percent(r.figures.clippedShare), (r) => r.figures.clippedShare > 0) },
        size,
      ]; // prettier-ignore
    return [
      { name: withUnit('step', this.unit()), cells: cells((r) => significant(r.figures.step, 2)) },
      { name: withUnit('at rest', this.unit()), cells: cells((r) => significant(r.figures.restError, 2), (r) => r.figures.restError > 0) },
      { name: 'clipped', cells: cells((r) => percent(r.figures.clippedShare), (r) => r.figures.clippedShare > 0) },
      ...(displaces(this.kind())
        ? [{ name: 'terraces', cells: cells((r) => percent(r.figures.terracedShare, 1), (r) => (r.figures.terracedShare ?? 0) > 0.01) }]
        : []),
      { name: 'rounding RMS', cells: cells((r) => significant(r.figures.roundingRms, 2)) },
      size,
    ]; // prettier-ignore
  });
  /** Of maps too large to be held: how much of them the figures are of. */
  protected readonly lookedAt = computed(() => {
    const share = this.figures()[this.encoding()?.depth ?? 'float']?.lookedAt ?? 1;
    return share < 1 ? percent(share, 1) : null;
  });
  protected readonly clips = computed(() => (this.figures()[this.encoding()?.depth ?? 'float']?.figures.clippedShare ?? 0) > 0);
  /** Which tiles are cut off, and how much of each; empty where there is one. */
  protected readonly clippedTiles = computed(() => {
    const shares = this.figures()[this.encoding()?.depth ?? 'float']?.clippedByTile ?? [];
    const { fields } = this.span();
    if (fields.length < 2 || shares.length !== fields.length) return '';
    return fields.flatMap(({ tile }, i) => (shares[i] > 0 ? [`${tile}: ${percent(shares[i])}`] : [])).join(', ');
  });
  protected readonly advice = computed(() => {
    const e = this.encoding();
    const now = e && this.figures()[e.depth];
    return now ? adviseOnEncoding(now, this.kind(), this.unit(), this.tolerance()) : null;
  });
  protected readonly theirText = computed(() => {
    const t = this.theirs();
    return t === null
      ? ''
      : `${DEPTH_NAMES[t.depth]}, midpoint ${significant(t.midpoint, 5)}, scale ${scaleOf(t)}${t.axes === '' ? '' : `, ${t.axes}`}`;
  });

  constructor() {
    follow(this.form, this.encoding, (change) => {
      const ranged = change.midpoint !== undefined || change.scale !== undefined;
      this.change(ranged ? { ...change, each: null, fit: 'by hand' } : change);
    });
    effect(() => this.flat.setValue(this.exactRest(), { emitEvent: false }));
    this.flat.valueChanges.pipe(takeUntilDestroyed()).subscribe((exact) => {
      const e = this.encoding();
      if (e) this.change(normalRange(e.depth, exact));
    });
    let request = 0;
    effect(() => {
      const fields = this.fields();
      const now = this.encoding();
      if (!now || fields.length === 0) return;
      const mine = ++request;
      this.compute(fields, now, () => mine === request).catch((error: unknown) => {
        if (mine === request) this.problem.set(sentence(error));
      });
    });
  }

  /** The chosen depth first, then each other depth with the range it would get, then the other ranges of the chosen depth. */
  private async compute(fields: readonly FieldInfo[], now: EncodingSettings, wanted: () => boolean): Promise<void> {
    const encodings: EncodingSettings[] = [];
    for (const depth of [now.depth, ...DEPTHS.filter((d) => d !== now.depth)]) {
      const encoding = depth === now.depth ? now : await this.withFit(depth, this.fitFor(depth), fileTypeFor(depth, now.fileType));
      if (!encoding || !wanted()) return;
      encodings.push(encoding);
      const result = await this.store.figures(fields, encoding);
      if (!wanted()) return;
      this.figures.update((f) => ({ ...f, [depth]: result }));
    }
    if (!this.ranged()) {
      this.swatch.set(null);
      return;
    }
    const tried: TriedFit[] = [];
    for (const { fit } of fitsOf(this.kind(), now.depth)) {
      const encoding = fit === now.fit ? now : await this.withFit(now.depth, fit, now.fileType);
      if (!encoding || !wanted()) return;
      tried.push({ fit, result: await this.store.figures(fields, encoding) });
      if (!wanted()) return;
      this.tried.set([...tried]);
    }
    // by depth, so that the part shown is the one where the coarsest depth steps
    const ordered = DEPTHS.map((d) => encodings.find((e) => e.depth === d)).filter((e) => e !== undefined);
    const swatch = await this.store.swatch(fields, ordered);
    if (wanted()) this.swatch.set(swatch);
  }

  private fitFor(depth: Depth): string {
    return defaultFitOf(this.kind(), depth);
  }

  private async withFit(depth: Depth, fit: string, fileType: EncodingSettings['fileType']): Promise<EncodingSettings | null> {
    const { green = 'up', keepBlue = true, axes = '' } = this.encoding() ?? {};
    const rest = { depth, fit, fileType, green, keepBlue, axes, each: null };
    if (!this.ranged()) return { ...rest, ...normalRange(depth, this.exactRest()) };
    if (fit === UNIT_FIT) return { ...rest, midpoint: 0, scale: 1 };
    try {
      const range = await this.store.fit(this.fields(), { depth, midpoint: null, axes, ...fitWish(fit) });
      this.problem.set(null);
      return { ...rest, ...range };
    } catch (error) {
      this.problem.set(sentence(error));
      return null;
    }
  }
  private change(change: Partial<EncodingSettings>): void {
    const e = this.encoding();
    if (e) this.changed.emit({ ...e, ...change });
  }
  protected setDepth(depth: Depth): void {
    const e = this.encoding();
    if (!e || e.depth === depth) return;
    void this.withFit(depth, this.fitFor(depth), fileTypeFor(depth, e.fileType)).then((next) => {
      if (next) this.changed.emit(next);
    });
  }
  protected setFit(fit: string): void {
    const e = this.encoding();
    if (!e || !fitsOf(this.kind(), e.depth).some((f) => f.fit === fit)) return;
    void this.withFit(e.depth, fit, e.fileType).then((next) => {
      if (next) this.changed.emit(next);
    });
  }
  /** Another order takes the same range along: fitted ones are fitted anew, since signs turn a range over. */
  protected setAxes(axes: string): void {
    const e = this.encoding();
    if (!e) return;
    const turned = { ...e, axes };
    if (e.fit === 'by hand') this.changed.emit(turned);
    else
      void this.store.fit(this.fields(), { depth: e.depth, midpoint: null, axes, ...fitWish(e.fit) }).then(
        (range) => this.changed.emit({ ...turned, ...range }),
        (error: unknown) => this.problem.set(sentence(error)),
      );
  }
}

/** One scale, or the three of a map's channels. */
const scaleOf = (e: EncodingSettings): string =>
  e.each === null ? significant(e.scale, 4) : e.each.map((r) => significant(r.scale, 3)).join(' ');

const withUnit = (name: string, unit: string): string => (unit === '' ? name : `${name} (${unit})`);
const sentence = (error: unknown): string => (error instanceof Error ? error.message : String(error));

const fileTypeFor = (depth: Depth, wish: EncodingSettings['fileType']): EncodingSettings['fileType'] =>
  LEGAL_DEPTHS[wish].includes(depth) ? wish : isInteger(depth) ? 'tif' : 'exr';
