import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { EncodingSettings, JobInfo, ProofInfo, ProveRequest, SpanInfo } from '@estampe/contracts';
import { bytes, parseNumber, percent, significant } from '../../shared/format';
import type { ProofDraft } from '../../state/bench.state';

/** Proves the written file against the sculpt, shows every figure and the verdict, and hands out the map file. */
@Component({
  selector: 'est-proof-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>Proof of S {{ span().settings.fromLevel }}–{{ span().settings.toLevel }}</h2>
    <div class="field-row">
      <label for="subdivisions">Subdivisions</label>
      <select id="subdivisions" (change)="setSubdivisions(text($event))">
        @for (n of choices(); track n) {
          <option [value]="n" [selected]="n === subdivisions()">{{ n }}{{ n === between() ? ' (as the sculpt)' : '' }}</option>
        }
      </select>
    </div>
    <div class="field-row">
      <label for="tolerance">Tolerance ({{ unit() }})</label>
      <input
        id="tolerance"
        type="text"
        inputmode="decimal"
        placeholder="none"
        [value]="toleranceText()"
        (change)="setTolerance(text($event), $event)"
      />
    </div>
    @if (job(); as j) {
      <div class="running" role="status">
        <progress [value]="j.fraction" max="1" aria-label="Proof"></progress>
        <span class="num">{{ percentOf(j) }}</span>
        <span>{{ j.state === 'waiting' ? 'waiting for the press' : stageOf(j) }}</span>
        <button type="button" class="plain-button" (click)="cancelJob.emit(j.id)">Cancel</button>
      </div>
    } @else {
      <p class="actions">
        <button type="button" class="act-button" [disabled]="!encoding()" (click)="press()">{{ proof() ? 'Prove again' : 'Prove' }}</button>
      </p>
    }
    @if (failed(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (proof(); as p) {
      @if (!current()) {
        <p class="note warn">Out of date: the encoding has changed since this proof. Prove again.</p>
      }
      @if (p.report.passed !== null) {
        <div class="verdict" [class.hold]="!p.report.passed" [class.old]="!current()" role="status">
          {{ p.report.passed ? 'Good to pull' : 'Hold' }}
        </div>
        <p class="reason">{{ reason() }}</p>
      }
      <table class="figures">
        <thead>
          <tr>
            <th>distance ({{ unit() }})</th>
            <th>RMS</th>
            <th>99 %</th>
            <th>largest</th>
          </tr>
        </thead>
        <tbody>
          @for (row of distances(); track row.name) {
            <tr>
              <th>{{ row.name }}</th>
              <td>{{ row.rms }}</td>
              <td>{{ row.p99 }}</td>
              <td>{{ row.max }}</td>
            </tr>
          }
        </tbody>
      </table>
      <table class="figures rest">
        <tbody>
          @for (row of others(); track row.name) {
            <tr>
              <th>{{ row.name }}</th>
              <td>{{ row.value }}</td>
            </tr>
          }
        </tbody>
      </table>
      <h3>Map file</h3>
      @for (map of p.maps; track map.id) {
        <p class="file">
          <span class="num">{{ map.name }}</span>
          <a class="act-button" [href]="'/api/maps/' + map.id + '/file'" [attr.download]="map.name">Save map file, {{ size(map.bytes) }}</a>
        </p>
      }
    } @else if (!job()) {
      <p class="muted">
        A proof writes the map, reads the file back, displaces the light mesh by it as a renderer would, and measures the distance to the
        sculpt both ways.
      </p>
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
    h3 {
      font-size: 15px;
      margin: 14px 0 2px;
    }
    .running {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 6px 10px;
      align-items: center;
      margin: 12px 0;
    }
    progress {
      width: 100%;
      accent-color: var(--prussian);
    }
    .actions {
      display: flex;
      justify-content: flex-end;
      margin: 10px 0;
    }
    .verdict {
      display: inline-block;
      margin: 4px 0 8px;
      padding: 5px 16px;
      border: 3px double var(--verdigris);
      color: var(--verdigris);
      font: 500 20px/26px var(--serif);
      transform: rotate(-2deg);
    }
    .verdict.hold {
      border-color: var(--madder);
      color: var(--madder);
    }
    .verdict.old {
      opacity: 0.55;
    }
    .reason {
      margin: 0 0 8px;
    }
    table.figures th,
    table.figures td {
      padding-top: 3px;
      padding-bottom: 3px;
    }
    .rest {
      margin-top: 8px;
    }
    .rest th {
      white-space: nowrap;
    }
    .file {
      display: grid;
      gap: 6px;
      margin: 4px 0 12px;
      overflow-wrap: anywhere;
    }
    a.act-button {
      text-decoration: none;
      text-align: center;
    }
  `,
})
export class ProofCard {
  readonly span = input.required<SpanInfo>();
  readonly unit = input('');
  readonly encoding = input<EncodingSettings | null>(null);
  readonly proof = input<ProofInfo | null>(null);
  readonly current = input(true);
  readonly draft = input.required<ProofDraft>();
  readonly stack = input(true);
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  readonly edited = output<Partial<ProofDraft>>();
  readonly prove = output<ProveRequest>();
  readonly cancelJob = output<string>();

  /** Levels between the span's ends in a stack. */
  protected readonly between = computed(() => (this.stack() ? this.span().settings.toLevel - this.span().settings.fromLevel : null));
  protected readonly subdivisions = computed(() => this.draft().subdivisions ?? this.between() ?? 4);
  protected readonly choices = computed(() => Array.from({ length: 7 }, (_, i) => i));
  protected readonly toleranceText = computed(() => (this.draft().tolerance === null ? '' : String(this.draft().tolerance)));
  private readonly lastJob = computed(() => this.jobs().find((j) => j.kind === 'proof' && j.spanId === this.span().id) ?? null);
  protected readonly job = computed(() => {
    const job = this.lastJob();
    return job?.state === 'running' || job?.state === 'waiting' ? job : null;
  });
  protected readonly failed = computed(() => {
    const job = this.lastJob();
    return job?.state === 'failed' ? job.error : job?.state === 'cancelled' ? 'Cancelled; nothing was written.' : null;
  });
  protected readonly reason = computed(() => {
    const report = this.proof()?.report;
    if (report?.tolerance == null) return '';
    const { distance, tolerance, missedShare, foldShare } = report;
    if (report.passed)
      return `99 % of both surfaces lie within ${significant(distance.p99, 3)} of each other; the tolerance is ${significant(tolerance, 3)} ${this.unit()}.`;
    if (distance.p99 > tolerance)
      return `The 99th percentile, ${significant(distance.p99, 3)} ${this.unit()}, is over the tolerance of ${significant(tolerance, 3)}. Try more subdivisions or a larger map.`;
    if ((missedShare ?? 0) > 0.001) return `${percent(missedShare)} of the texels missed the sculpt; make the reach longer.`;
    return `${percent(foldShare)} of the displaced surface is folded over; a scalar map cannot make that shape there.`;
  });
  protected readonly distances = computed(() => {
    const r = this.proof()?.report;
    if (!r) return [];
    const row = (name: string, d: { rms: number; p99: number; max: number }) => ({
      name,
      rms: significant(d.rms, 3),
      p99: significant(d.p99, 3),
      max: significant(d.max, 3),
    });
    return [row('proof', r.distance), ...(r.unencoded ? [row('unencoded', r.unencoded)] : []), row('undisplaced', r.undisplaced)];
  });
  protected readonly others = computed(() => {
    const p = this.proof();
    if (!p) return [];
    const { report: r, encoding: e } = p;
    const unit = this.unit();
    return [
      { name: 'RMS left', value: `${percent(r.undisplaced.rms === 0 ? null : r.distance.rms / r.undisplaced.rms, 3)} of undisplaced` },
      { name: 'to sculpt / proof', value: `${significant(r.distance.toSculpt.rms, 3)} / ${significant(r.distance.toProof.rms, 3)}` },
      { name: 'reached share', value: percent(r.reachedShare, 3) },
      { name: 'seam gap', value: `${significant(r.seamGap.rms, 2)}, max ${significant(r.seamGap.max, 2)} ${unit}` },
      { name: 'normal angle', value: `${significant(r.normalAngle.mean, 3)}\u00b0, 95 % ${significant(r.normalAngle.p95, 3)}\u00b0` },
      { name: 'missed', value: percent(r.missedShare) },
      { name: 'clipped', value: percent(r.clippedShare) },
      { name: 'folded', value: percent(r.foldShare) },
      { name: 'subdivisions', value: String(r.subdivisions) },
      { name: 'encoding', value: `${e.depth}, m ${significant(e.midpoint, 5)}, s ${significant(e.scale, 5)} ${unit}` },
    ];
  });

  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected size(n: number): string {
    return bytes(n);
  }
  protected percentOf(job: JobInfo): string {
    return `${Math.round(100 * job.fraction)} %`;
  }
  protected stageOf(job: JobInfo): string {
    return job.stage === 'closest-distances' ? 'measuring distances' : job.stage;
  }
  protected setSubdivisions(value: string): void {
    this.edited.emit({ subdivisions: Number(value) });
  }
  protected setTolerance(value: string, event: Event): void {
    const tolerance = value.trim() === '' ? null : parseNumber(value);
    const ok = value.trim() === '' || (tolerance !== null && tolerance > 0);
    (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
    if (ok) this.edited.emit({ tolerance });
  }
  protected press(): void {
    this.prove.emit({ subdivisions: this.subdivisions(), tolerance: this.draft().tolerance });
  }
}
