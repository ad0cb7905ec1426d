import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatListModule } from '@angular/material/list';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { EncodingSettings, JobInfo, ProofInfo, SpanInfo, WorstPlaceInfo } from '@estampe/contracts';
import { adviseOnNormals, adviseOnProof, displaces, hasAxes, holdsDirections } from '@estampe/core';
import { addressOf, proveRequestSchema, ROUTES } from '@estampe/contracts';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { bytes, count, percent, significant } from '../../shared/format';
import { ChoiceField } from '../../shared/forms/choice-field';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { KIND_NAMES } from '../../shared/kinds';
import { ToleranceField } from '../../shared/tolerance-field';
import type { ProofDraft } from '../../state/proof-draft';
import { proveRequest } from './prove-request';

const PARTS = [
  ['subdivision', 'subdivisions', 'render subdivisions too few for the sculpt'],
  ['sampling', 'map grid', 'what falls between the texels'],
  ['search', 'search', 'where no height along the normal reaches the sculpt'],
  ['encoding', 'encoding', 'rounding and clipping'],
] as const;

/** What is set field by field. */
type Asked = Readonly<{ subdivisions: number; degrees: number | null }>;
const FIRST: Asked = { subdivisions: 0, degrees: null };

/** Proves the written file against the sculpt, shows every figure and the verdict, where it is worst and why, and hands out the map file. */
@Component({
  selector: 'est-proof-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, Figures, JobProgress, MatButtonModule, MatListModule, MatTooltipModule, NumberField, ToleranceField],
  templateUrl: './proof-card.html',
  styleUrl: './proof-card.scss',
})
export class ProofCard {
  protected readonly fileOf = (id: string): string => addressOf(ROUTES.mapFile, { id });
  readonly span = input.required<SpanInfo>();
  readonly unit = input('');
  readonly diagonal = input.required<number>();
  readonly encoding = input<EncodingSettings | null>(null);
  readonly proof = input<ProofInfo | null>(null);
  readonly current = input(true);
  readonly draft = input.required<ProofDraft>();
  readonly stack = input(true);
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  readonly edited = output<Partial<ProofDraft>>();
  /** Pressed. Whoever listens reads the draft anew: this card may be a moment behind what was typed last. */
  readonly prove = output();
  readonly study = output<string>();
  readonly visit = output<WorstPlaceInfo>();
  readonly cancelJob = output<string>();
  readonly next = output();

  protected readonly title = computed(() => {
    const { kind, fromLevel, toLevel } = this.span().settings;
    return `Proof: ${KIND_NAMES[kind].toLowerCase()}, level ${fromLevel} to ${toLevel}`;
  });
  protected readonly normal = computed(() => holdsDirections(this.span().settings.kind));
  /** Whether the map moves the surface, so that it can be proven as one. */
  protected readonly moves = computed(() => displaces(this.span().settings.kind));
  protected readonly values = computed(() => !this.normal() && !this.moves());
  /** Levels between the span's ends in a stack. */
  protected readonly between = computed(() => (this.stack() ? this.span().settings.toLevel - this.span().settings.fromLevel : null));
  protected readonly subdivisions = computed(
    () => proveRequest(this.draft(), this.span().settings, this.stack(), this.diagonal()).subdivisions,
  );
  protected readonly choices = computed(() =>
    Array.from({ length: 7 }, (_, value) => ({ value, label: `${value}${value === this.between() ? ' (as the sculpt)' : ''}` })),
  );
  protected readonly form = formOf<Asked>(
    { shape: { subdivisions: proveRequestSchema.shape.subdivisions, degrees: proveRequestSchema.shape.tolerance } },
    FIRST,
  );
  private readonly asked = computed((): Asked => ({ subdivisions: this.subdivisions(), degrees: this.draft().degrees }));
  private readonly mine = (kind: JobInfo['kind']) => (j: JobInfo) => j.kind === kind && j.spanId === this.span().id;
  protected readonly job = computed(() => activeJob(this.jobs(), this.mine('proof')));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine('proof')));
  protected readonly studyJob = computed(() => activeJob(this.jobs(), this.mine('study')));
  protected readonly studyFailed = computed(() => failureOf(this.jobs(), this.mine('study')));
  protected readonly report = computed(() => this.proof()?.outcome.report ?? null);
  private readonly scalarReport = computed(() => {
    const outcome = this.proof()?.outcome;
    return outcome && outcome.kind !== 'normal' && outcome.kind !== 'values' ? outcome.report : null;
  });
  private readonly normalReport = computed(() => {
    const outcome = this.proof()?.outcome;
    return outcome?.kind === 'normal' ? outcome.report : null;
  });

  private readonly valuesReport = computed(() => {
    const outcome = this.proof()?.outcome;
    return outcome?.kind === 'values' ? outcome.report : null;
  });

  protected readonly reason = computed(() => {
    const s = this.scalarReport();
    const n = this.normalReport();
    const unit = this.unit();
    if (s?.tolerance != null)
      return s.passed
        ? `99 % of both surfaces lie within ${significant(s.distance.p99, 3)} ${unit} of each other; the tolerance is ${significant(s.tolerance, 3)} ${unit}.`
        : `99 % of both surfaces lie within ${significant(s.distance.p99, 3)} ${unit}; the tolerance is ${significant(s.tolerance, 3)} ${unit}.`;
    if (n?.tolerance != null && n.normalAngle !== null)
      return `95 % of the normals are off by ${significant(n.normalAngle.p95, 3)}\u00b0 or less; the tolerance is ${significant(n.tolerance, 3)}\u00b0.`;
    return '';
  });
  protected readonly advice = computed(() => {
    const s = this.scalarReport();
    const n = this.normalReport();
    if (n !== null) return adviseOnNormals(n);
    const kind = this.proof()?.outcome.kind ?? '';
    return s === null || !displaces(kind) ? [] : adviseOnProof(s, this.unit(), kind);
  });
  private readonly overhangs = computed(() => this.advice().some((a) => a.code === 'overhangs'));
  /** Columns and rows of the main table: distances, or angles. */
  protected readonly table = computed(() => {
    const s = this.scalarReport();
    const n = this.normalReport();
    if (s) {
      const row = (name: string, d: { rms: number; p99: number; max: number }) => ({
        name,
        cells: [d.rms, d.p99, d.max].map((x) => significant(x, 3)),
      });
      return {
        head: [`distance (${this.unit()})`, 'RMS', '99 %', 'largest'],
        rows: [row('proof', s.distance), ...(s.unencoded ? [row('unencoded', s.unencoded)] : []), row('undisplaced', s.undisplaced)],
      };
    }
    if (n) {
      const row = (name: string, a: { mean: number; p95: number; max: number }) => ({
        name,
        cells: [a.mean, a.p95, a.max].map((x) => `${significant(x, 3)}\u00b0`),
      });
      const rows = [
        n.normalAngle === null ? null : row('with the map', n.normalAngle),
        n.bareAngle === null ? null : row('without', n.bareAngle),
      ];
      return { head: ['angle', 'mean', '95 %', 'largest'], rows: rows.filter((r) => r !== null) };
    }
    const v = this.valuesReport();
    if (v?.difference)
      return {
        head: ['the file, read back', 'RMS', 'largest'],
        rows: [{ name: 'off by', cells: [significant(v.difference.rms, 3), significant(v.difference.max, 3)] }],
      };
    return null;
  });
  protected readonly others = computed((): FigureRow[] => this.figures().map(({ name, value }) => ({ name, cells: [value] })));
  private readonly figures = computed(() => {
    const e = this.proof()?.encoding;
    const s = this.scalarReport();
    const n = this.normalReport();
    const unit = this.unit();
    if (!e) return [];
    const range =
      e.each === null
        ? `m ${significant(e.midpoint, 5)}, s ${significant(e.scale, 5)}`
        : `s ${e.each.map((r) => significant(r.scale, 4)).join(' ')}`;
    const encoding = { name: 'encoding', value: `${e.depth}, ${range}` };
    const v = this.valuesReport();
    if (v)
      return [
        { name: 'texels compared', value: count(v.covered) },
        { name: 'missed', value: percent(v.missedShare) },
        { name: 'clipped', value: percent(v.clippedShare) },
        encoding,
      ];
    if (n)
      return [
        { name: 'missed', value: percent(n.missedShare) },
        { name: 'not compared', value: percent(n.unmatchedShare) },
        { name: 'compared at', value: `level ${n.subdivisions}` },
        encoding,
      ];
    if (!s) return [];
    return [
      { name: 'RMS left', value: `${percent(s.undisplaced.rms === 0 ? null : s.distance.rms / s.undisplaced.rms, 3)} of undisplaced` },
      { name: 'to sculpt / proof', value: `${significant(s.distance.toSculpt.rms, 3)} / ${significant(s.distance.toProof.rms, 3)}` },
      { name: 'reached share', value: percent(s.reachedShare, 3) },
      { name: 'seam gap', value: `${significant(s.seamGap.rms, 2)}, max ${significant(s.seamGap.max, 2)} ${unit}` },
      { name: 'normal angle', value: `${significant(s.normalAngle.mean, 3)}\u00b0, 95 % ${significant(s.normalAngle.p95, 3)}\u00b0` },
      { name: 'missed', value: percent(s.missedShare) },
      { name: 'clipped', value: percent(s.clippedShare) },
      { name: 'folded', value: percent(s.foldShare) },
      { name: 'subdivisions', value: String(s.subdivisions) },
      ...(e.axes === '' ? [] : [{ name: 'axis order', value: e.axes }]),
      encoding,
    ];
  });
  protected readonly worst = computed(() =>
    (this.proof()?.worst ?? []).map((place, i) => ({
      place,
      rank: i + 1,
      error: this.normal() ? `${significant(place.error, 3)}\u00b0` : `${significant(Math.abs(place.error), 3)} ${this.unit()}`,
      words: this.normal()
        ? 'turned'
        : place.on === 'sculpt'
          ? this.overhangs()
            ? 'sculpt not reached'
            : 'sculpt missed by the proof'
          : place.error > 0
            ? 'proof stands out'
            : 'proof lies too low',
    })),
  );
  protected readonly parts = computed(() => {
    const parts = this.proof()?.study?.parts;
    if (!parts) return [];
    const most = Math.max(...PARTS.map(([key]) => parts[key] ?? 0), 1e-30);
    const vector = hasAxes(this.proof()?.outcome.kind ?? '');
    return PARTS.map(([key, ownName, ownWords]) => {
      const [name, words] =
        vector && key === 'search' ? ['frame', 'what the frame of the vectors changes between texels'] : [ownName, ownWords];
      const x = parts[key];
      return {
        name,
        words,
        value: x === null ? 'unknown' : `${significant(x, 3)} ${this.unit()}`,
        width: x === null ? 0 : (100 * x) / most,
      };
    });
  });
  protected readonly kneeText = computed(() => {
    const study = this.proof()?.study;
    if (study?.knee == null) return null;
    const at = study.sweep.find((p) => p.subdivisions === study.knee);
    if (!at) return null;
    const beyond = study.sweep.some((p) => p.subdivisions > at.subdivisions);
    return beyond
      ? `${study.knee} subdivisions (${count(at.faces)} faces) are enough: more gain less than a tenth.`
      : `${study.knee} subdivisions (${count(at.faces)} faces) are the best of those looked at; more may be better still.`;
  });

  constructor() {
    follow(this.form, this.asked, (change) => this.edited.emit(change));
  }

  protected size(n: number): string {
    return bytes(n);
  }
  protected press(): void {
    this.prove.emit();
  }
}
