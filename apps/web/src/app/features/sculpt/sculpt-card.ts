import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import type { AssetDetail, FindingInfo, JobInfo, MendRequest, SetGroups, Uploaded } from '@estampe/contracts';
import { titleOf } from '@estampe/contracts';
import type { MendName } from '@estampe/core';
import { MEND_NAMES, MENDS } from '@estampe/core';
import { FaceWalk } from '../../shared/face-walk';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { count, significant } from '../../shared/format';
import { activeJob, failureOf, JobProgress } from '../../shared/job-progress';
import { BringInPanel } from '../../shared/bring-in/bring-in-panel';
import { droppedFiles } from '../../shared/bring-in/dropped-files';
import type { FileAt } from '../../workers/file-messages';
import { StateButtons } from '../../shared/state-buttons';
import { openPart } from '../../state/low-states';
import { leadOf } from './finding-leads';
import { GroupEditor } from './group-editor';
import { LowAgain } from '../../shared/low-again';
import { MendOffer } from './mend-offer';

/** Jobs that this card starts. */
const KINDS: ReadonlySet<JobInfo['kind']> = new Set<JobInfo['kind']>(['import', 'low', 'mend', 'split']);
const WORDS: Readonly<Record<string, string>> = { error: 'must be mended', warning: 'look at it', note: 'good to know' };

/** What was brought in, and what the check found on the light mesh. */
@Component({
  selector: 'est-sculpt-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    BringInPanel,
    FaceWalk,
    Figures,
    GroupEditor,
    JobProgress,
    LowAgain,
    MatButtonModule,
    MatExpansionModule,
    MendOffer,
    StateButtons,
  ],
  template: `
    <div class="card-head">
      <h2>{{ title() }}</h2>
      <est-state-buttons [part]="part()" (went)="went.emit($event)" />
    </div>
    <p class="muted">{{ kind() }}</p>
    @if (asset().stackKind === 'alone') {
      <section class="other" (dragover)="$event.preventDefault()" (drop)="dropPart($event, 'other')">
        <h3>Its light mesh, or its sculpt</h3>
        @if (completing(); as j) {
          <est-job-progress [job]="j" label="Reading" (stopped)="cancelJob.emit($event)" />
        } @else {
          <est-bring-in-panel [partOf]="asset()" [completes]="asset().part" [dropped]="droppedOther()" />
        }
      </section>
    }
    <est-figures [head]="['level', 'points', 'faces', 'adds (' + asset().unit + ')']" [rows]="levels()" />
    <est-figures [rows]="about()" />
    <h3>Findings</h3>
    @for (f of asset().findings; track f.code) {
      <div class="note" [class.warn]="f.severity === 'warning'" [class.bad]="f.severity === 'error'">
        <strong>{{ words(f.severity) }}</strong>&ngsp;<span class="num muted">{{ f.code }}</span
        ><br />{{ f.message }}
        @if (f.faces.length > 0) {
          <est-face-walk [faces]="f.faces" [name]="f.code" [lit]="at() === f.code" (walked)="light(f, $event)" />
        }
        @if (mendOf(f); as name) {
          <est-mend-offer [name]="name" [meshId]="lightMesh()" [unit]="asset().unit" (mended)="mended.emit($event)" />
        } @else if (leadOf(f.code); as lead) {
          <button class="lead" matButton="outlined" type="button" (click)="led.emit(lead.step)">{{ lead.words }}</button>
        }
      </div>
    } @empty {
      <p class="note">Nothing to mend: UVs in their tiles without overlap, no holes, no doubled points, no stretched islands.</p>
    }
    @if (mending(); as j) {
      <est-job-progress [job]="j" label="Mending" (stopped)="cancelJob.emit($event)" />
    }
    @if (at() !== null) {
      <p class="actions"><button matButton="outlined" type="button" (click)="none()">Lights out</button></p>
    }
    @if (asset().stackKind !== 'alone') {
      <h3>Changed since?</h3>
      <p class="muted">
        When points of the light mesh have moved, bring it in again: it says how many, how far and where, and marks the maps that are out of
        date.
      </p>
      @if (job(); as j) {
        <est-job-progress [job]="j" label="Reading the light mesh" (stopped)="cancelJob.emit($event)" />
      } @else {
        <est-low-again (sent)="lowAgain.emit($event)" />
      }
    }
    @if (failed() ?? message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    <mat-expansion-panel #groups="matExpansionPanel">
      <mat-expansion-panel-header>
        <mat-panel-title>Groups</mat-panel-title>
        <mat-panel-description>of faces, for islands and parts</mat-panel-description>
      </mat-expansion-panel-header>
      @if (groups.expanded) {
        <est-group-editor
          [meshId]="lightMesh()"
          [made]="part().groups"
          [faces]="asset().levelList[0].faces"
          (grouped)="grouped.emit($event)"
          (split)="split.emit()"
        />
      }
    </mat-expansion-panel>
    @if (splitting(); as j) {
      <est-job-progress [job]="j" label="Splitting" (stopped)="cancelJob.emit($event)" />
    }
    <h3>Parts</h3>
    @if (asset().parts.length > 1) {
      <p class="muted">{{ partNames() }}; choose one at the top.</p>
    }
    <mat-expansion-panel (dragover)="$event.preventDefault()" (drop)="dropPart($event, 'part')">
      <mat-expansion-panel-header><mat-panel-title>Add a part</mat-panel-title></mat-expansion-panel-header>
      <est-bring-in-panel [partOf]="asset()" [jobs]="jobs()" [dropped]="droppedPart()" />
    </mat-expansion-panel>
    @if (asset().stackKind !== 'alone' || asset().tiles.length === 0) {
      <p class="actions">
        <button matButton="filled" type="button" (click)="next.emit()">{{ asset().tiles.length === 0 ? 'Unwrap it' : 'Maps' }}</button>
      </p>
    }
  `,
  styles: `
    est-mend-offer,
    .lead {
      display: block;
      margin-top: 6px;
    }
    p {
      margin: 4px 0 12px;
    }
  `,
})
export class SculptCard {
  readonly asset = input.required<AssetDetail>();
  readonly jobs = input<readonly JobInfo[]>([]);
  /** Why the last wish was refused. */
  readonly message = input<string | null>(null);
  /** Faces to light and fly to, and of which level; none to put the lights out. */
  readonly lit = output<{ readonly faces: readonly number[]; readonly level?: number | undefined }>();
  readonly lowAgain = output<Uploaded>();
  readonly mended = output<MendRequest>();
  readonly grouped = output<SetGroups>();
  readonly split = output();
  /** A step to go on to. */
  readonly led = output<string>();
  /** A state of the light mesh to go to. */
  readonly went = output<number>();
  readonly cancelJob = output<string>();
  protected readonly title = computed(() => titleOf(this.asset()));
  protected readonly partNames = computed(() =>
    this.asset()
      .parts.map((p) => p.name)
      .join(', '),
  );
  protected readonly droppedPart = signal<readonly FileAt[]>([]);
  protected readonly droppedOther = signal<readonly FileAt[]>([]);
  readonly next = output();
  /** The finding that is lit. */
  protected readonly at = signal<string | null>(null);
  protected readonly part = computed(() => openPart(this.asset()));
  protected readonly lightMesh = computed(() => this.asset().levelList[0].meshId);
  private readonly mine = (j: JobInfo): boolean => KINDS.has(j.kind) && j.partId === this.asset().part.id;
  protected readonly job = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'low'));
  protected readonly completing = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'import'));
  protected readonly splitting = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'split'));
  protected readonly mending = computed(() => activeJob(this.jobs(), (j) => this.mine(j) && j.kind === 'mend'));
  protected readonly failed = computed(() => failureOf(this.jobs(), this.mine));
  protected readonly kind = computed(
    () =>
      ({
        stack: `A stack of ${this.asset().levelList.length} levels, recognised by their connectivity.`,
        free: 'A light mesh and a free sculpt with its own topology.',
        alone: 'One mesh. Maps measure from a light mesh to a finer one, so its other is still to come.',
      })[this.asset().stackKind],
  );
  protected readonly levels = computed(() =>
    [...this.asset().levelList].reverse().map((l): FigureRow => ({
      name: String(l.level),
      cells: [count(l.points), count(l.faces), l.detail === null ? '–' : significant(l.detail, 3)],
    })),
  );
  protected readonly about = computed((): FigureRow[] => [
    { name: 'Diagonal', cells: [`${significant(this.asset().diagonal, 5)} ${this.asset().unit}`] },
    { name: 'UV tiles', cells: [this.asset().tiles.length === 0 ? 'none' : this.asset().tiles.join(' ')] },
  ]);
  protected dropPart(event: DragEvent, which: 'part' | 'other'): void {
    event.preventDefault();
    void droppedFiles(event.dataTransfer).then((files) => (which === 'other' ? this.droppedOther : this.droppedPart).set(files));
  }
  /** The mend of a finding. What changes points or polygons would leave the levels of a stack behind. */
  protected mendOf({ code }: FindingInfo): MendName | null {
    const stack = this.asset().stackKind === 'stack';
    return MEND_NAMES.find((name) => MENDS[name].finding === code && !(stack && MENDS[name].changesSurface)) ?? null;
  }
  protected readonly leadOf = leadOf;
  protected words(severity: string): string {
    return WORDS[severity];
  }
  protected light({ code, level }: FindingInfo, faces: readonly number[]): void {
    this.at.set(code);
    this.lit.emit({ faces, level });
  }
  protected none(): void {
    this.at.set(null);
    this.lit.emit({ faces: [] });
  }
}
