import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import type {
  AssetDetail,
  FindingInfo,
  JobInfo,
  LevelEditRequest,
  StrokeRequest,
  TransferRequest,
  TransferSettings,
  Uploaded,
} from '@estampe/contracts';
import { transferSettingsSchema } from '@estampe/contracts';
import { FaceWalk } from '../../shared/face-walk';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { count, percent, significant } from '../../shared/format';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { LowAgain } from '../../shared/low-again';
import { StateButtons } from '../../shared/state-buttons';
import { transferCost } from '../../shared/transfer-cost';
import { openPart } from '../../state/low-states';
import { LevelBrush } from './level-brush';
import { LevelExport } from './level-export';

/** The levels of a part, and how a light mesh comes to those of a free sculpt. */
@Component({
  selector: 'est-levels-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FaceWalk,
    Figures,
    JobProgress,
    LevelBrush,
    LevelExport,
    LowAgain,
    MatButtonModule,
    MatExpansionModule,
    NumberField,
    StateButtons,
  ],
  templateUrl: './levels-card.html',
  styles: `
    .fields,
    .next {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 4px 12px;
      align-items: center;
    }
    .ways {
      display: grid;
      grid-template-columns: auto minmax(0, 1fr);
      gap: 6px 10px;
      align-items: center;
    }
    p {
      margin: 4px 0 12px;
    }
    mat-expansion-panel {
      margin-top: 12px;
    }
  `,
})
export class LevelsCard {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<TransferSettings>();
  readonly jobs = input<readonly JobInfo[]>([]);
  readonly message = input<string | null>(null);
  /** Of the shot that the asset is made for. */
  readonly pixelsPerUnit = input<number | null>(null);
  readonly edited = output<Partial<TransferSettings>>();
  readonly transfer = output<TransferRequest>();
  readonly edit = output<LevelEditRequest>();
  /** A state of the part to go to. */
  readonly went = output<number>();
  /** Faces to light and fly to, and of which level. */
  readonly lit = output<{ readonly faces: readonly number[]; readonly level?: number | undefined }>();
  readonly cancelJob = output<string>();
  /** A part to open. */
  readonly opened = output<string>();
  readonly toSculpt = output();
  readonly next = output();

  protected readonly form = formOf(transferSettingsSchema, transferSettingsSchema.parse({}));
  private readonly mine = (j: JobInfo): boolean => KINDS.has(j.kind) && j.partId === this.asset().part.id;
  protected readonly part = computed(() => openPart(this.asset()));
  protected readonly transferring = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'transfer'));
  protected readonly editing = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'levels'));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine));
  protected readonly brushOpen = signal(false);
  /** The finding that is lit. */
  protected readonly at = signal<string | null>(null);
  protected readonly top = computed(() => this.asset().levelList.length - 1);
  /** What is said of levels; the rest stands in the step Sculpt. */
  protected readonly findings = computed(() =>
    this.asset().findings.filter(({ code, level }) => level !== undefined || OF_LEVELS.has(code)),
  );
  protected readonly head = computed(() => {
    const { stackKind, unit } = this.asset();
    return stackKind !== 'stack'
      ? ['level', 'faces']
      : ['level', 'faces', `adds (${unit})`, ...(this.pixelsPerUnit() === null ? [] : ['pixels'])];
  });
  /** What a transfer will take, roughly. */
  protected readonly takes = computed(() => transferCost(this.asset()));
  protected readonly sculptFaces = computed(() => count(this.asset().levelList[this.asset().levelList.length - 1].faces));
  protected readonly levels = computed(() =>
    [...this.asset().levelList].reverse().map(({ level, faces, detail }): FigureRow => {
      const pixels = this.pixelsPerUnit();
      const adds = (by: number): string => (detail === null ? '–' : significant(by * detail, 3));
      const rest = this.asset().stackKind !== 'stack' ? [] : [adds(1), ...(pixels === null ? [] : [adds(pixels)])];
      return { name: String(level), cells: [count(faces), ...rest] };
    }),
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
    if (stackKind === 'alone') return [];
    return parts
      .filter(({ id, levelList }) => id !== this.asset().part.id && levelList.some((level) => level.transfer !== undefined))
      .map(({ id, name, levelList }) => ({ id, name, levels: levelList.length }));
  });

  protected light({ code, level }: FindingInfo, faces: readonly number[]): void {
    this.at.set(code);
    this.lit.emit({ faces, level });
  }
  // by the fields, not the settings: a field that was left by this press is not among those yet
  protected start(): void {
    if (this.form.valid) this.transfer.emit({ ...this.form.getRawValue(), onto: null });
  }
  protected project(): void {
    const { reach } = this.form.controls;
    if (reach.valid) this.edit.emit({ op: 'project', reach: reach.value });
  }
  protected transferOnto({ hash, name }: Uploaded): void {
    this.transfer.emit({ ...this.settings(), levels: null, onto: { hash, name } });
  }
  protected keepStrokes(strokes: readonly StrokeRequest[]): void {
    this.edit.emit({ op: 'brush', strokes: [...strokes] });
  }

  constructor() {
    follow(this.form, this.settings, (change) => this.edited.emit(change));
  }
}

/** Below this share of the points there is something to look at. */
const ENOUGH = 0.99;
/** Jobs that this card starts. */
const KINDS: ReadonlySet<JobInfo['kind']> = new Set<JobInfo['kind']>(['transfer', 'levels']);
/** Findings on the light mesh that come of work on levels. */
const OF_LEVELS: ReadonlySet<string> = new Set(['spans-strands', 'settled', 'recovered-one-of-several']);
