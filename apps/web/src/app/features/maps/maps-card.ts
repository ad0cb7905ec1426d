import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { AssetDetail, ExtractSettings, JobInfo, SpanInfo } from '@estampe/contracts';
import { clock, count, parseNumber, significant } from '../../shared/format';

const SIZES = [512, 1024, 2048, 4096, 8192];

/** Settings of a scalar span, and what its extraction found. */
@Component({
  selector: 'est-maps-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>{{ span() ? 'Span' : 'New span' }} {{ shown().fromLevel }} to {{ shown().toLevel }}, scalar</h2>
    @if (job(); as j) {
      <div class="running" role="status">
        <progress [value]="j.fraction" max="1" aria-label="Extraction"></progress>
        <span class="num">{{ percentOf(j) }}</span>
        <span>{{ j.state === 'waiting' ? 'waiting for the press' : j.stage }}</span>
        <button type="button" class="plain-button" (click)="cancelJob.emit(j.id)">Cancel</button>
      </div>
    }
    @if (failed(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (span()?.fields?.length) {
      <table class="figures">
        <tbody>
          @for (row of results(); track row.name) {
            <tr>
              <th>{{ row.name }}</th>
              <td>{{ row.value }}</td>
            </tr>
          }
        </tbody>
      </table>
      @if (missedNote(); as text) {
        <p class="note warn">{{ text }}</p>
      }
    }
    <details [open]="!span()">
      <summary>{{ span() ? 'Extract again with other settings' : 'Settings' }}</summary>
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
      @if (problem(); as text) {
        <p class="note warn">{{ text }}</p>
      }
      <p class="actions">
        <button type="button" class="act-button" [disabled]="problem() !== null" (click)="extract.emit(settings())">Extract</button>
      </p>
    </details>
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (span()?.fields?.length) {
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
    .running {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 6px 10px;
      align-items: center;
      margin: 8px 0 12px;
    }
    progress {
      width: 100%;
      accent-color: var(--prussian);
    }
    .actions {
      display: flex;
      justify-content: flex-end;
      margin: 14px 0;
    }
  `,
})
export class MapsCard {
  readonly asset = input.required<AssetDetail>();
  readonly span = input<SpanInfo | null>(null);
  readonly settings = input.required<ExtractSettings>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  readonly edited = output<Partial<ExtractSettings>>();
  readonly extract = output<ExtractSettings>();
  readonly cancelJob = output<string>();
  readonly next = output();

  protected readonly sizes = SIZES;
  protected readonly shown = computed(() => this.span()?.settings ?? this.settings());
  private readonly lastJob = computed(() => this.jobs().find((j) => j.kind === 'extract' && j.spanId === this.span()?.id) ?? null);
  protected readonly job = computed(() => {
    const job = this.lastJob();
    return job?.state === 'running' || job?.state === 'waiting' ? job : null;
  });
  protected readonly failed = computed(() => {
    const job = this.lastJob();
    return job?.state === 'failed'
      ? job.error
      : job?.state === 'cancelled'
        ? 'Cancelled; nothing was written. Extract again when you like.'
        : null;
  });
  protected readonly problem = computed(() => {
    const { fromLevel, toLevel } = this.settings();
    if (fromLevel === toLevel) return 'From and to are the same level, so the map would be empty; choose a higher level to measure to.';
    if (fromLevel > toLevel) return 'The span runs downwards; measure from the lighter level to the finer one.';
    return null;
  });
  protected readonly reachText = computed(() => (this.settings().reach === null ? '' : String(this.settings().reach)));
  protected readonly results = computed(() => {
    const fields = this.span()?.fields ?? [];
    if (fields.length === 0) return [];
    const { unit } = this.asset();
    const sum = (of: (f: (typeof fields)[number]) => number): number => fields.reduce((n, f) => n + of(f), 0);
    const [first] = fields;
    return [
      { name: 'Size', value: `${first.width} x ${first.height}${fields.length > 1 ? `, ${fields.length} tiles` : ''}` },
      {
        name: 'Heights',
        value: `${significant(Math.min(...fields.map((f) => f.min ?? 0)))} to ${significant(Math.max(...fields.map((f) => f.max ?? 0)))} ${unit}`,
      },
      { name: 'Reach', value: `${significant(first.reach)} ${unit}` },
      { name: 'Matched by', value: first.match === 'stack' ? 'levels of one stack' : 'rays' },
      { name: 'Base taken at', value: `level ${first.baseLevel}` },
      { name: 'Texels covered', value: count(sum((f) => f.covered)) },
      { name: 'Missed', value: count(sum((f) => f.missed)) },
      { name: 'Doubtful', value: count(sum((f) => f.doubtful)) },
      { name: 'Rays', value: count(sum((f) => f.rays)) },
      { name: 'Time', value: clock(sum((f) => f.seconds)) },
    ];
  });
  protected readonly missedNote = computed(() => {
    const fields = this.span()?.fields ?? [];
    const missed = fields.reduce((n, f) => n + f.missed, 0);
    const covered = fields.reduce((n, f) => n + f.covered, 0);
    if (missed === 0) return null;
    const share = (100 * missed) / Math.max(1, missed + covered);
    return `${share < 0.01 ? 'Less than 0.01' : share.toFixed(2)} % of the texels found no sculpt that faces them within the reach. Make the reach longer; if they stay, the sculpt has a hole or an overhang there.`;
  });

  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected faces(n: number): string {
    return count(n);
  }
  protected percentOf(job: JobInfo): string {
    return `${Math.round(100 * job.fraction)} %`;
  }
  protected set(change: Partial<ExtractSettings>): void {
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
