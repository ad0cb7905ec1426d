import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import type { EncodingSettings, SpanInfo } from '@estampe/contracts';
import { DEPTHS, FILE_TYPES } from '@estampe/contracts';
import { defaultFit, exactMidpoint, isInteger, LEGAL_DEPTHS, maxCode } from '@estampe/core';
import { bytes, parseNumber, percent, significant } from '../../shared/format';
import { FieldStore } from '../../shared/field-store';
import type { DepthFigures } from '../../workers/field-messages';

type Depth = EncodingSettings['depth'];
const FITS = [
  ['symmetric', 'symmetric'],
  ['symmetric,rounded', 'symmetric, rounded'],
  ['full', 'full range'],
  ['full,rounded', 'full range, rounded'],
  ['clip:0.001', 'clip 0.1 % of texels'],
  ['measured', 'as measured'],
] as const;
const SHOWN: Readonly<Record<Depth, string>> = { 8: '8 bit', 16: '16 bit', half: 'half', float: 'float' };

/** Bit depth, range, midpoint and scale of a span's map; the figures of all depths side by side, and one line of advice. */
@Component({
  selector: 'est-calibrate-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>Encoding of S {{ span().settings.fromLevel }}–{{ span().settings.toLevel }}</h2>
    @if (encoding(); as e) {
      <div class="field-row">
        <span id="depth-label">Depth</span>
        <span class="segments" role="group" aria-labelledby="depth-label">
          @for (d of depths; track d) {
            <button type="button" class="plain-button" [attr.aria-pressed]="d === e.depth" (click)="setDepth(d)">{{ names[d] }}</button>
          }
        </span>
      </div>
      <div class="field-row">
        <label for="type">File</label>
        <select id="type" (change)="setType(text($event))">
          @for (t of types(); track t) {
            <option [value]="t" [selected]="t === e.fileType">{{ t === 'exr' ? 'OpenEXR' : t === 'tif' ? 'TIFF' : 'PNG' }}</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="fit">Range</label>
        <select id="fit" (change)="setFit(text($event))">
          @for (f of fits(); track f[0]) {
            <option [value]="f[0]" [selected]="f[0] === e.fit">{{ f[1] }}</option>
          }
          @if (e.fit === 'by hand') {
            <option value="by hand" selected>by hand</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="midpoint">Midpoint</label>
        <input id="midpoint" type="text" inputmode="decimal" [value]="midpointText()" (change)="setMidpoint(text($event), $event)" />
      </div>
      <div class="field-row">
        <label for="scale">Scale ({{ unit() }})</label>
        <input id="scale" type="text" inputmode="decimal" [value]="scaleText()" (change)="setScale(text($event), $event)" />
      </div>
      <div class="field-row">
        <span>Undo</span>
        <span class="segments">
          <button type="button" class="plain-button" [disabled]="!canUndo()" (click)="undo.emit()">Undo</button>
          <button type="button" class="plain-button" [disabled]="!canRedo()" (click)="redo.emit()">Redo</button>
        </span>
      </div>
      <table class="figures" aria-label="What each depth does to this field">
        <thead>
          <tr>
            <th></th>
            @for (c of columns(); track c.depth) {
              <th [class.now]="c.depth === e.depth">{{ long[c.depth] }}</th>
            }
          </tr>
        </thead>
        <tbody>
          @for (row of rows(); track row.name) {
            <tr>
              <th>{{ row.name }}</th>
              @for (cell of row.cells; track $index) {
                <td [class.bad]="cell.bad">{{ cell.text }}</td>
              }
            </tr>
          }
        </tbody>
      </table>
      @if (advice(); as a) {
        <p class="note" [class.warn]="a.warn">{{ a.text }}</p>
      }
      <p class="actions"><button type="button" class="act-button" (click)="next.emit()">Prove</button></p>
    } @else {
      <p class="muted" role="status">Reading the field…</p>
    }
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
  `,
  styles: `
    h2 {
      font-size: 18px;
      line-height: 26px;
      margin-bottom: 6px;
    }
    .segments {
      display: inline-flex;
    }
    .segments button {
      margin-left: -1px;
      padding: 4px 9px;
      font: 12px/16px var(--mono);
    }
    .segments button[aria-pressed='true'] {
      background: var(--prussian);
      border-color: var(--prussian);
    }
    table {
      margin-top: 8px;
    }
    th.now {
      color: var(--prussian);
      font-weight: 600;
    }
    td.bad {
      color: var(--madder);
    }
    table.figures td {
      font-size: 11px;
      padding-left: 4px;
    }
    table.figures thead th {
      padding-left: 4px;
    }
    .actions {
      display: flex;
      justify-content: flex-end;
      margin: 12px 0;
    }
  `,
})
export class CalibrateCard {
  readonly span = input.required<SpanInfo>();
  readonly unit = input('');
  readonly encoding = input<EncodingSettings | null>(null);
  readonly canUndo = input(false);
  readonly canRedo = input(false);
  readonly tolerance = input<number | null>(null);
  readonly saveMessage = input<string | null>(null);
  readonly proposed = output<EncodingSettings>();
  readonly changed = output<EncodingSettings>();
  readonly undo = output();
  readonly redo = output();
  readonly next = output();

  private readonly store = inject(FieldStore);
  protected readonly depths = DEPTHS;
  protected readonly names = { 8: '8', 16: '16', half: 'half', float: 'float' } as const;
  protected readonly long = SHOWN;
  private readonly problem = signal<string | null>(null);
  protected readonly message = computed(() => this.problem() ?? this.saveMessage());
  private readonly fieldIds = computed(() => this.span().fields.map((f) => f.id));
  private readonly figures = signal<Partial<Record<Depth, DepthFigures>>>({});

  protected readonly types = computed(() => FILE_TYPES.filter((t) => LEGAL_DEPTHS[t].includes(this.encoding()?.depth ?? '')));
  protected readonly fits = computed(() => FITS.filter(([key]) => key !== 'measured' || !isInteger(this.encoding()?.depth ?? 'float')));
  protected readonly midpointText = computed(() => {
    const e = this.encoding();
    if (!e) return '';
    if (!isInteger(e.depth)) return significant(e.midpoint, 6);
    const top = maxCode(e.depth);
    const code = e.midpoint * top;
    return Math.abs(code - Math.round(code)) < 1e-6 ? `${Math.round(code)}/${top}` : significant(e.midpoint, 7);
  });
  protected readonly scaleText = computed(() => significant(this.encoding()?.scale, 7));
  protected readonly columns = computed(() => DEPTHS.map((depth) => ({ depth, result: this.figures()[depth] ?? null })));
  protected readonly rows = computed(() => {
    const cells = (of: (r: DepthFigures) => string, bad: (r: DepthFigures) => boolean = () => false) =>
      this.columns().map(({ result }) => ({ text: result ? of(result) : '…', bad: result !== null && bad(result) }));
    return [
      { name: `step (${this.unit()})`, cells: cells((r) => significant(r.figures.step, 2)) },
      { name: `at rest (${this.unit()})`, cells: cells((r) => significant(r.figures.restError, 2), (r) => r.figures.restError > 0) }, // prettier-ignore
      { name: 'clipped', cells: cells((r) => percent(r.figures.clippedShare), (r) => r.figures.clippedShare > 0) }, // prettier-ignore
      { name: 'terraces', cells: cells((r) => percent(r.figures.terracedShare, 1), (r) => (r.figures.terracedShare ?? 0) > 0.01) }, // prettier-ignore
      { name: 'rounding RMS', cells: cells((r) => significant(r.figures.roundingRms, 2)) },
      { name: 'raw size', cells: cells((r) => bytes(r.bytes)) },
    ];
  });
  protected readonly advice = computed(() => {
    const e = this.encoding();
    const r = e && this.figures()[e.depth];
    if (!e || !r) return null;
    const name = SHOWN[e.depth];
    const { step, clippedShare, terracedShare, restError } = r.figures;
    const unit = this.unit();
    if (clippedShare > 0)
      return {
        warn: true,
        text: `${percent(clippedShare)} of the heights lie beyond the range and are cut off; widen the scale or choose a range that clips nothing.`,
      };
    if ((terracedShare ?? 0) > 0.01)
      return {
        warn: true,
        text: `${name} shows terraces on ${percent(terracedShare, 1)} of the surface: one step is ${significant(step, 2)} ${unit}. Choose a finer depth.`,
      };
    if (restError > 0)
      return {
        warn: true,
        text: `Flat areas move by ${significant(restError, 2)} ${unit}; the midpoint ${e.depth === '8' ? '128/255' : '32768/65535'} keeps them still.`,
      };
    const limit = this.tolerance();
    const compared = limit === null ? '' : `, ${significant(limit / step, 2)} steps to the tolerance`;
    return {
      warn: false,
      text: `${name} is enough: its largest step is ${significant(step, 2)} ${unit}${compared}, and no slope shows it.`,
    };
  });

  constructor() {
    effect(() => {
      const ids = this.fieldIds();
      if (this.encoding() !== null || ids.length === 0) return;
      void this.withFit('16', 'symmetric', 'tif', null).then((e) => {
        if (e) this.proposed.emit(e);
      });
    });
    let request = 0;
    effect(() => {
      const ids = this.fieldIds();
      const now = this.encoding();
      if (!now || ids.length === 0) return;
      const mine = ++request;
      void this.compute(ids, now, () => mine === request);
    });
  }

  /** The chosen depth first, then each other depth with the fit it would get. */
  private async compute(ids: readonly string[], now: EncodingSettings, wanted: () => boolean): Promise<void> {
    for (const depth of [now.depth, ...DEPTHS.filter((d) => d !== now.depth)]) {
      const encoding =
        depth === now.depth ? now : await this.withFit(depth, defaultFit(depth).kind, isInteger(depth) ? 'tif' : 'exr', null);
      if (!encoding || !wanted()) return;
      const result = await this.store.figures(ids, encoding);
      if (!wanted()) return;
      this.figures.update((f) => ({ ...f, [depth]: result }));
    }
  }

  private async withFit(
    depth: Depth,
    fit: string,
    fileType: EncodingSettings['fileType'],
    midpoint: number | null,
  ): Promise<EncodingSettings | null> {
    try {
      const range = await this.store.fit(this.fieldIds(), depth, fit, midpoint);
      this.problem.set(null);
      return { depth, fit, fileType, ...range };
    } catch (error) {
      this.problem.set(error instanceof Error ? error.message : String(error));
      return null;
    }
  }
  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected setDepth(depth: Depth): void {
    const e = this.encoding();
    if (!e || e.depth === depth) return;
    const fileType = LEGAL_DEPTHS[e.fileType].includes(depth) ? e.fileType : isInteger(depth) ? 'tif' : 'exr';
    void this.withFit(depth, defaultFit(depth).kind, fileType, null).then((next) => {
      if (next) this.changed.emit(next);
    });
  }
  protected setType(value: string): void {
    const e = this.encoding();
    const fileType = FILE_TYPES.find((t) => t === value);
    if (e && fileType) this.changed.emit({ ...e, fileType });
  }
  protected setFit(fit: string): void {
    const e = this.encoding();
    if (!e || fit === 'by hand') return;
    void this.withFit(e.depth, fit, e.fileType, null).then((next) => {
      if (next) this.changed.emit(next);
    });
  }
  protected setMidpoint(value: string, event: Event): void {
    const e = this.encoding();
    const midpoint = value.trim() === 'exact' && e ? exactMidpoint(e.depth) : parseNumber(value);
    (event.target as HTMLElement).setAttribute('aria-invalid', String(midpoint === null));
    if (e && midpoint !== null) this.changed.emit({ ...e, midpoint, fit: 'by hand' });
  }
  protected setScale(value: string, event: Event): void {
    const e = this.encoding();
    const scale = parseNumber(value);
    const ok = scale !== null && scale > 0;
    (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
    if (e && ok) this.changed.emit({ ...e, scale, fit: 'by hand' });
  }
}
