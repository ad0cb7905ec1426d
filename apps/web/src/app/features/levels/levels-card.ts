import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import type { AssetDetail, JobInfo, TransferRequest } from '@estampe/contracts';
import { transferSchema } from '@estampe/contracts';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { count, percent, significant } from '../../shared/format';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';

/** The levels of a part, and how a light mesh comes to those of a free sculpt. */
@Component({
  selector: 'est-levels-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Figures, JobProgress, MatButtonModule, NumberField],
  template: `
    <h2>Levels</h2>
    @switch (asset().stackKind) {
      @case ('alone') {
        <p class="note">One mesh has no levels yet. Bring in its light mesh or its sculpt in the step Sculpt.</p>
        <p class="actions"><button matButton="outlined" type="button" (click)="toSculpt.emit()">Sculpt</button></p>
      }
      @case ('stack') {
        <est-figures [head]="['level', 'faces', 'adds (' + asset().unit + ')']" [rows]="levels()" label="Levels" />
        @if (transferred(); as rows) {
          <h3>How they were put onto the sculpt</h3>
          <est-figures [head]="['level', 'projected', 'off by (' + asset().unit + ')', 'folds', 'took']" [rows]="rows" label="Transfer" />
          <p class="muted">Off by: the distance between level and sculpt, both ways, as root mean square.</p>
        }
      }
      @case ('free') {
        <p class="muted">
          This sculpt has points of its own, so nothing says which of them belongs to which place of the light mesh. Heights can be measured
          as it is; vectors want levels.
        </p>
        <h3>Transfer</h3>
        <p class="muted">
          Refines the light mesh level by level and puts each level onto the sculpt, up to about its {{ sculptFaces() }} faces. It becomes a
          part of its own, with the same UVs; this one stays.
        </p>
        <div class="fields">
          <est-number-field label="Levels" empty="as many as it takes" [control]="form.controls.levels" />
          <est-number-field label="Search" [unit]="asset().unit" empty="measured" [control]="form.controls.reach" />
        </div>
        @if (job(); as j) {
          <est-job-progress [job]="j" label="Transferring" (stopped)="cancelJob.emit($event)" />
        } @else {
          <p class="actions">
            <button matButton="filled" type="button" [disabled]="form.invalid" (click)="transfer.emit(settings())">Transfer</button>
          </p>
        }
      }
    }
    @for (other of made(); track other.id) {
      <p class="note">
        {{ other.name }} has {{ other.levels }} levels from a free sculpt.
        <button matButton type="button" (click)="opened.emit(other.id)">Open it</button>
      </p>
    }
    @if (failed() ?? message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (asset().stackKind !== 'alone') {
      <p class="actions"><button matButton="outlined" type="button" (click)="next.emit()">Sheet</button></p>
    }
  `,
  styles: `
    .fields {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 4px 12px;
    }
    p {
      margin: 4px 0 12px;
    }
  `,
})
export class LevelsCard {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<TransferRequest>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  readonly edited = output<Partial<TransferRequest>>();
  readonly transfer = output<TransferRequest>();
  readonly cancelJob = output<string>();
  /** A part to open. */
  readonly opened = output<string>();
  readonly toSculpt = output();
  readonly next = output();

  protected readonly form = formOf(transferSchema, transferSchema.parse({}));
  private readonly mine = (j: JobInfo): boolean => j.kind === 'transfer' && j.partId === this.asset().part.id;
  protected readonly job = computed(() => activeJob(this.jobs(), this.mine));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine));
  protected readonly sculptFaces = computed(() => count(this.asset().levelList[this.asset().levelList.length - 1].faces));
  protected readonly levels = computed(() =>
    [...this.asset().levelList].reverse().map(({ level, faces, detail }): FigureRow => ({
      name: String(level),
      cells: [count(faces), detail === null ? '–' : significant(detail, 3)],
    })),
  );
  protected readonly transferred = computed((): FigureRow[] | null => {
    const rows = [...this.asset().levelList].reverse().flatMap(({ level, transfer: t }): FigureRow[] =>
      t === undefined
        ? []
        : [
            {
              name: String(level),
              cells: [
                { text: percent(t.projectedShare), bad: t.projectedShare < ENOUGH },
                significant(t.rms, 3),
                { text: count(t.folds), bad: t.folds > 0 },
                `${t.seconds.toFixed(1)} s`,
              ],
            },
          ],
    );
    return rows.length === 0 ? null : rows;
  });
  /** Parts of this asset that a transfer made. */
  protected readonly made = computed(() => {
    const { stackKind, parts } = this.asset();
    if (stackKind !== 'free') return [];
    return parts
      .filter(({ levelList }) => levelList.some((level) => level.transfer !== undefined))
      .map(({ id, name, levelList }) => ({ id, name, levels: levelList.length }));
  });

  constructor() {
    follow(this.form, this.settings, (change) => this.edited.emit(change));
  }
}

/** Below this share of the points there is something to look at. */
const ENOUGH = 0.99;
