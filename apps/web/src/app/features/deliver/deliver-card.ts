import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { AssetDetail, DeliverRequest, JobInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import { addressOf, ROUTES } from '@estampe/contracts';
import { bytes, significant } from '../../shared/format';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { KIND_LETTERS } from '../../shared/kinds';

interface Choice {
  readonly proof: ProofInfo;
  readonly span: SpanInfo;
  readonly name: string;
  readonly figure: string;
  readonly verdict: string;
  readonly hold: boolean;
  readonly good: boolean;
}

/** What the proof found, in a few characters. */
function figureOf(outcome: ProofInfo['outcome'], unit: string): string {
  if (outcome.kind === 'normal') {
    const { normalAngle } = outcome.report;
    return normalAngle === null ? 'nothing to compare with' : `${significant(normalAngle.mean, 3)}\u00b0 on average`;
  }
  if (outcome.kind === 'values') {
    const { difference } = outcome.report;
    return difference === null ? 'nothing covered' : `within ${significant(difference.max, 2)}`;
  }
  return `RMS ${significant(outcome.report.distance.rms, 3)} ${unit}`;
}

/** Chooses the proven maps of a delivery, makes it, and lists the versions that are there. */
@Component({
  selector: 'est-deliver-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [JobProgress, MatButtonModule, MatCheckboxModule],
  template: `
    <h2>Deliver {{ asset().name }}</h2>
    <p class="muted">
      A folder in a zip: the light mesh exactly as the maps' base, the proven map files, a manifest for programs and a set-up sheet for
      people.
    </p>
    @if (choices().length > 0) {
      <h3>Proven maps</h3>
      @for (c of choices(); track c.proof.id) {
        <mat-checkbox class="choice" [checked]="chosen().has(c.proof.id)" (change)="toggle(c.proof.id)">
          <span class="about">
            <span class="letter num">{{ letter(c.span) }}</span>
            <span class="num name">{{ c.name }}</span>
            <span class="verdict" [class.hold]="c.hold" [class.good]="c.good">{{ c.verdict }}</span>
            <span class="figure num">{{ c.figure }}</span>
          </span>
        </mat-checkbox>
      }
      <mat-checkbox class="choice" [checked]="withSculpt()" (change)="withSculpt.set($event.checked)">
        put the sculpt in too, so that the delivery can be proven from itself alone
      </mat-checkbox>
      @if (problem(); as text) {
        <p class="note warn">{{ text }}</p>
      }
      @if (job(); as j) {
        <est-job-progress [job]="j" label="Delivery" (stopped)="cancelJob.emit($event)" />
      } @else {
        <p class="actions">
          <button matButton="filled" type="button" [disabled]="problem() !== null" (click)="press()">
            Make version {{ nextVersion() }}
          </button>
        </p>
      }
    } @else {
      <p class="note">Nothing is proven yet. Prove a map first; then it can be chosen here.</p>
    }
    @if (failed(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (asset().deliveries.length > 0) {
      <h3>Versions</h3>
      @for (d of versions(); track d.id) {
        <div class="version" [class.now]="d.id === shownId()">
          <button matButton type="button" class="open" [attr.aria-pressed]="d.id === shownId()" (click)="show.emit(d.id)">
            <span class="num">{{ d.name }}</span>&ngsp;<span class="muted">{{ d.when }}</span>
          </button>
          <a matButton="outlined" [href]="zipOf(d.id)" [attr.download]="d.name + '.zip'">zip, {{ d.size }}</a>
          @if (d.id !== shownId() && shownId() !== null) {
            <button matButton type="button" [attr.aria-pressed]="d.id === comparedId()" (click)="compare.emit(d.id)">
              compare with the one shown
            </button>
          }
        </div>
      }
    }
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
  `,
  styles: `
    p {
      margin: 4px 0 10px;
    }
    .choice {
      display: block;
      padding: 4px 0;
      border-bottom: 1px solid var(--rule);
    }
    .about {
      display: grid;
      grid-template-columns: 14px 1fr auto;
      gap: 2px 6px;
      align-items: baseline;
    }
    .letter {
      font-weight: 600;
    }
    .name {
      overflow-wrap: anywhere;
    }
    .figure {
      grid-column: 2;
      color: var(--graphite);
    }
    .verdict {
      color: var(--graphite);
      white-space: nowrap;
    }
    .verdict.good {
      color: var(--verdigris);
    }
    .verdict.hold {
      color: var(--madder);
    }
    .version {
      display: flex;
      flex-wrap: wrap;
      justify-content: space-between;
      gap: 4px 8px;
      align-items: center;
      padding: 4px 0;
      border-bottom: 1px solid var(--rule);
      border-left: 3px solid transparent;
    }
    .version.now {
      border-left-color: var(--prussian);
    }
  `,
})
export class DeliverCard {
  protected readonly zipOf = (id: string): string => addressOf(ROUTES.zip, { id });
  readonly asset = input.required<AssetDetail>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly shownId = input<string | null>(null);
  readonly comparedId = input<string | null>(null);
  readonly message = input<string | null>(null);
  readonly deliver = output<DeliverRequest>();
  readonly show = output<string>();
  readonly compare = output<string>();
  readonly cancelJob = output<string>();

  /** The newest proof of each span that is up to date. */
  protected readonly choices = computed<Choice[]>(() =>
    this.asset().spans.flatMap((span) => {
      const proof = span.proofs.at(0);
      if (span.outOfDate || proof === undefined || proof.maps.length === 0) return [];
      const { outcome } = proof;
      const { passed } = outcome.report;
      const figure = figureOf(outcome, this.asset().unit);
      return [
        {
          proof,
          span,
          name: proof.maps[0].name,
          figure,
          verdict: outcome.kind === 'values' ? 'read back' : passed === null ? 'no verdict' : passed ? 'good to pull' : 'hold',
          hold: passed === false,
          good: passed === true,
        },
      ];
    }),
  );
  /** What the user has changed; everything that is not on hold is in by itself. */
  private readonly decided = signal<ReadonlyMap<string, boolean>>(new Map());
  protected readonly chosen = computed(
    () => new Set(this.choices().filter((c) => this.decided().get(c.proof.id) ?? !c.hold).map((c) => c.proof.id)), // prettier-ignore
  );
  protected readonly withSculpt = signal(false);
  protected readonly nextVersion = computed(() => Math.max(0, ...this.asset().deliveries.map((d) => d.version)) + 1);
  protected readonly problem = computed(() => {
    const chosen = this.choices().filter((c) => this.chosen().has(c.proof.id));
    if (chosen.length === 0) return 'Choose at least one map.';
    const [{ span }] = chosen;
    if (chosen.some((c) => c.span.settings.fromLevel !== span.settings.fromLevel))
      return 'These maps start from different levels; put those of one level into one delivery.';
    return null;
  });
  private readonly mine = (j: JobInfo): boolean => j.kind === 'delivery' && j.assetId === this.asset().id;
  protected readonly job = computed(() => activeJob(this.jobs(), this.mine));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine));
  protected readonly versions = computed(() =>
    this.asset().deliveries.map((d) => ({ ...d, size: bytes(d.bytes), when: new Date(d.createdAt).toLocaleString() })),
  );

  protected letter(span: SpanInfo): string {
    return KIND_LETTERS[span.settings.kind];
  }
  protected toggle(id: string): void {
    const on = this.chosen().has(id);
    this.decided.update((d) => new Map(d).set(id, !on));
  }
  protected press(): void {
    this.deliver.emit({ proofIds: [...this.chosen()], withSculpt: this.withSculpt() });
  }
}
