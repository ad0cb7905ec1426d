import { DragDropModule } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatInputModule } from '@angular/material/input';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { AssetDetail, JobInfo, Uploaded } from '@estampe/contracts';
import { IMPORT_STAGES, importStageAt, MAX_UPLOAD_FILES, unitOfMetres, UNITS, UP_AXES } from '@estampe/contracts';
import { meshFormatNames } from '@estampe/core';
import { firstValueFrom, lastValueFrom, tap } from 'rxjs';
import * as z from 'zod';
import { Api, sentenceOf } from '../../api/api';
import type { FileAt } from '../../workers/file-messages';
import { ChoiceField } from '../forms/choice-field';
import { activeJob, JobProgress } from '../job-progress';
import { isZip, MESH_FILES, refusalOf } from '../mesh-files';
import { remember, remembered } from '../remembered';
import type { Brought, DraftPart } from './draft-parts';
import { assetNameOf, movedFile, proposedParts, wordsOf } from './draft-parts';
import { fileAt } from './dropped-files';
import { FileLooker } from './file-looker';
import { PartDraft } from './part-draft';

const UNIT_KEY = 'estampe.unit';
const unitSchema = z.enum(UNITS);
const UP_KEY = 'estampe.up';
const upSchema = z.enum(UP_AXES);
const USUAL_SET = '';

/** Takes files, folders and zips, looks into them, proposes the parts that they make, and sends them when that is confirmed. */
@Component({
  selector: 'est-bring-in-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ChoiceField,
    DragDropModule,
    JobProgress,
    MatButtonModule,
    MatInputModule,
    MatProgressBarModule,
    PartDraft,
    ReactiveFormsModule,
  ],
  template: `
    @if (completes(); as part) {
      <p>
        Drop the other mesh of {{ part.name }}, or its other levels, in the same unit: {{ formats }}. Of all, the one with the fewest faces
        is the light mesh.
      </p>
    } @else if (partOf()) {
      <p>Drop its files here, or those of several parts, in the same unit as this asset: {{ formats }}, folders of them, or a zip.</p>
    } @else {
      <h2>Bring in a sculpt</h2>
      <p>
        Drop files anywhere on this page: {{ formats }}, folders of them, or a zip. A light mesh with its levels, a light mesh with a free
        sculpt, several parts at once, or one mesh to begin with. Up to 2 GiB a file, {{ maxFiles }} files.
      </p>
    }
    <p class="ways">
      <button matButton="outlined" type="button" (click)="picker.click()">Choose files…</button>
      <button matButton="outlined" type="button" (click)="folders.click()">A folder…</button>
    </p>
    <input #picker hidden type="file" multiple aria-label="Mesh files" [accept]="accepted" (change)="pick($event)" />
    <input #folders hidden type="file" webkitdirectory aria-label="A folder of mesh files" (change)="pick($event)" />
    @if (parts().length > 0) {
      <div cdkDropListGroup>
        @for (part of parts(); track part.id) {
          <est-part-draft
            [part]="part"
            [files]="files()"
            [others]="othersOf(part)"
            [named]="severalParts()"
            [sortable]="completes() === null"
            (renamed)="rename(part, $event)"
            (moved)="move($event.path, $event.to)"
          />
        }
      </div>
      @if (completes() === null) {
        @if (partOf() === null || !severalParts()) {
          <mat-form-field class="wide">
            <mat-label>{{ severalParts() ? 'Name of the asset' : 'Name' }}</mat-label>
            <input matInput maxlength="80" [formControl]="name" />
          </mat-form-field>
        }
        @if (partOf() === null) {
          <div class="fields">
            <est-choice-field label="Unit of the files" [control]="unit" [options]="units" />
            <est-choice-field label="Up" [control]="up" [options]="ups" />
          </div>
        }
      }
      @if (uvSets().length > 1) {
        <est-choice-field label="UV set" [control]="uvSet" [options]="uvSets()" />
      }
      @if (said(); as text) {
        <p class="note" role="status">{{ text }}</p>
      }
      <p class="actions" [class.stays]="partOf() === null">
        @if (fraction(); as sent) {
          <mat-progress-bar mode="determinate" aria-label="Upload" [value]="100 * sent.share" />
          <button matButton="outlined" type="button" (click)="stop()">Cancel</button>
        } @else {
          <button matButton="outlined" type="button" (click)="clear()">Clear</button>
          <button matButton="filled" type="button" [disabled]="!ready()" (click)="send()">
            Bring in{{ severalParts() ? ' ' + parts().length + ' parts' : '' }}
          </button>
        }
      </p>
    }
    @if (looking(); as text) {
      <p class="note" role="status">{{ text }}</p>
    }
    @if (message(); as m) {
      <p class="note bad" role="alert">{{ m }}</p>
    }
    @if (followed(); as job) {
      @if (isOpen(job)) {
        <est-job-progress label="Bringing in" [job]="job" (stopped)="cancel($event)" />
        <ol class="stages muted" aria-label="Stages">
          @for (stage of stages; track stage.name; let i = $index) {
            <li [class.now]="i === stageOf(job)" [attr.aria-current]="i === stageOf(job) ? 'step' : null">{{ stage.name }}</li>
          }
        </ol>
      } @else if (job.state === 'done') {
        <p class="note" role="status">{{ job.title }}: it is there.</p>
        @if (partOf() === null && job.assetId; as id) {
          <p class="actions"><button matButton="filled" type="button" (click)="arrived.emit(id)">Open it</button></p>
        }
      } @else {
        <p class="note bad" role="alert">{{ job.error ?? 'Cancelled; nothing was brought in.' }}</p>
      }
    } @else if (sentId() !== null) {
      <p class="note" role="status">On the press. It appears when it has been read and checked.</p>
    }
  `,
  styles: `
    h2 {
      font-size: 20px;
      line-height: 28px;
      margin-bottom: 8px;
    }
    mat-form-field {
      width: 100%;
      margin-top: 12px;
    }
    .ways {
      display: flex;
      gap: 8px;
      margin: 12px 0;
    }
    /* in sight however many parts there are */
    .stays {
      position: sticky;
      bottom: 0;
      padding: 8px 0;
      background: var(--paper);
    }
    mat-progress-bar {
      flex: 1;
    }
    .stages {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 14px;
      margin: 0;
      padding: 0;
      list-style: none;
    }
    .now {
      color: var(--ink);
      font-weight: 500;
    }
  `,
})
export class BringInPanel {
  protected readonly accepted = `${MESH_FILES},.zip`;
  protected readonly formats = meshFormatNames();
  readonly dropped = input<readonly FileAt[]>([]);
  /** The asset that gets further parts; null makes a new asset. */
  readonly partOf = input<Pick<AssetDetail, 'id' | 'unit'> | null>(null);
  /** A part of one mesh that gets its others. */
  readonly completes = input<AssetDetail['part'] | null>(null);
  /** Those of the press, so that what was sent is followed. */
  readonly jobs = input<readonly JobInfo[]>([]);
  /** The asset that was brought in is there: as soon as it is, where nothing else was chosen meanwhile. */
  readonly arrived = output<string>();
  private readonly api = inject(Api);
  private readonly looker = inject(FileLooker);
  protected readonly maxFiles = MAX_UPLOAD_FILES;
  protected readonly units = UNITS.map((value) => ({ value, label: value }));
  protected readonly ups = UP_AXES.map((value) => ({ value, label: value.toUpperCase() }));
  protected readonly files = signal<ReadonlyMap<string, Brought>>(new Map());
  protected readonly parts = signal<readonly DraftPart[]>([]);
  /** Files that somebody has put where they are: only the others are sorted. */
  private readonly placed = new Set<string>();
  protected readonly name = new FormControl('', { nonNullable: true });
  private readonly named = toSignal(this.name.valueChanges, { initialValue: '' });
  protected readonly unit = new FormControl(remembered(UNIT_KEY, unitSchema, 'mm'), { nonNullable: true });
  protected readonly up = new FormControl(remembered(UP_KEY, upSchema, 'y'), { nonNullable: true });
  protected readonly uvSet = new FormControl(USUAL_SET, { nonNullable: true });
  protected readonly uvSets = computed(() => {
    const names = new Set([...this.files().values()].flatMap(({ looked }) => looked?.uvSets ?? []));
    return names.size === 0 ? [] : [{ value: USUAL_SET, label: 'the usual one' }, ...[...names].map((n) => ({ value: n, label: n }))];
  });
  /** How much is sent, while it is. */
  protected readonly fraction = signal<{ readonly share: number } | null>(null);
  protected readonly looking = signal<string | null>(null);
  protected readonly message = signal<string | null>(null);
  /** What files say of their unit and up axis. */
  protected readonly said = signal<string | null>(null);
  /** The job that the last ones became; null before, and once new files are chosen. */
  protected readonly sentId = signal<string | null>(null);
  protected readonly followed = computed(() => this.jobs().find(({ id }) => id === this.sentId()) ?? null);
  protected readonly stages = IMPORT_STAGES;
  protected readonly stageOf = ({ fraction }: JobInfo): number => importStageAt(fraction);
  protected readonly isOpen = (job: JobInfo): boolean => activeJob([job], () => true) !== null;
  protected readonly severalParts = computed(() => this.parts().length > 1);
  protected readonly ready = computed(
    () =>
      this.looking() === null &&
      this.parts().every((part) => part.name.trim() !== '' && wordsOf(part, this.files()).usable) &&
      (this.completes() !== null || this.named().trim() !== '' || (this.partOf() !== null && this.severalParts())),
  );
  private stopped = false;

  constructor() {
    this.unit.valueChanges.pipe(takeUntilDestroyed()).subscribe((unit) => remember(UNIT_KEY, unit));
    this.up.valueChanges.pipe(takeUntilDestroyed()).subscribe((up) => remember(UP_KEY, up));
    effect(() => {
      const dropped = this.dropped();
      // once a drop: what adding looks at must not bring the files back when it changes
      if (dropped.length > 0) untracked(() => void this.add(dropped));
    });
    effect(() => {
      const job = this.followed();
      if (job?.state === 'done' && job.assetId !== null && untracked(this.parts).length === 0) this.arrived.emit(job.assetId);
    });
  }

  protected othersOf(part: DraftPart): readonly DraftPart[] {
    return this.parts().filter((other) => other !== part);
  }
  protected pick(event: Event): void {
    const input = event.target as HTMLInputElement;
    void this.add([...(input.files ?? [])].map(fileAt));
    input.value = '';
  }
  protected clear(): void {
    this.files.set(new Map());
    this.parts.set([]);
    this.placed.clear();
    this.name.setValue('');
    this.uvSet.setValue(USUAL_SET);
    this.message.set(null);
    this.said.set(null);
  }
  protected cancel(jobId: string): void {
    this.api.changeJob(jobId, 'cancel').subscribe({ error: (error: unknown) => this.message.set(sentenceOf(error)) });
  }
  protected stop(): void {
    this.stopped = true;
  }
  protected rename(part: DraftPart, name: string): void {
    this.parts.update((parts) => parts.map((p) => (p.id === part.id ? { ...p, name } : p)));
  }
  protected move(path: string, to: number | null): void {
    this.settle();
    if (to === null) this.leaveOut(path);
    else this.parts.update((parts) => movedFile(parts, path, to));
  }
  private leaveOut(path: string): void {
    this.files.update((files) => new Map([...files].filter(([key]) => key !== path)));
    this.parts.update((parts) => movedFile(parts, path, null));
  }
  /** What has been looked into stays where it is from now on. */
  private settle(): void {
    for (const { path, looked } of this.files().values()) if (looked !== null) this.placed.add(path);
  }

  private async add(more: readonly FileAt[]): Promise<void> {
    this.sentId.set(null);
    this.message.set(null);
    const meshes = await this.unpacked(more);
    const taken = meshes.filter((file) => this.take(file));
    if (taken.length === 0) return;
    this.propose();
    for (const [i, { path, file }] of taken.entries()) {
      this.looking.set(taken.length > 1 ? `Looking into ${file.name}, ${i + 1} of ${taken.length}…` : `Looking into ${file.name}…`);
      try {
        const looked = await this.looker.look(file);
        if (this.files().has(path)) this.files.update((files) => new Map(files).set(path, { path, file, looked }));
      } catch (error) {
        this.message.set(sentenceOf(error));
        this.leaveOut(path);
      }
    }
    this.looking.set(null);
    this.propose();
    this.takeScene();
  }

  /** Zips are opened; what is no mesh is passed over when it came with meshes in a folder, else named. */
  private async unpacked(more: readonly FileAt[]): Promise<FileAt[]> {
    const out: FileAt[] = [];
    for (const at of more) {
      if (!isZip(at.file)) out.push(at);
      else
        try {
          this.looking.set(`Unpacking ${at.path}…`);
          out.push(...(await this.looker.unzip(at)));
        } catch (error) {
          this.message.set(sentenceOf(error));
        } finally {
          this.looking.set(null);
        }
    }
    return out;
  }

  /** @returns whether a file is one that can be brought in */
  private take({ path, file }: FileAt): boolean {
    const refusal = refusalOf(file);
    if (refusal !== null) {
      // pictures and notes in a folder are no mistake
      if (!path.includes('/')) this.message.set(refusal);
      return false;
    }
    if (this.files().size >= MAX_UPLOAD_FILES && !this.files().has(path)) {
      this.message.set(`At most ${MAX_UPLOAD_FILES} files at once: ${path} and what comes after it was left out.`);
      return false;
    }
    this.files.update((files) => new Map(files).set(path, { path, file, looked: null }));
    return true;
  }

  /** Sorts the files that nobody has put anywhere. */
  private propose(): void {
    const all = [...this.files().values()];
    const firstId = 1 + Math.max(-1, ...this.parts().map((part) => part.id));
    const before = assetNameOf(this.parts());
    const fresh = all.filter(({ path }) => !this.placed.has(path));
    const kept = this.parts()
      .map((part) => ({ ...part, paths: part.paths.filter((path) => this.placed.has(path)) }))
      .filter((part) => part.paths.length > 0);
    if (this.completes() !== null)
      this.parts.set(all.length === 0 ? [] : [{ id: 0, name: 'this part', paths: all.map(({ path }) => path) }]);
    else this.parts.set([...kept, ...proposedParts(fresh, kept, firstId)]);
    if (this.name.value === '' || this.name.value === before) this.name.setValue(assetNameOf(this.parts()));
  }

  /** Takes unit and up axis that the files say, which the user may change. */
  private takeScene(): void {
    const scenes = [...this.files().values()].flatMap(({ file, looked }) =>
      looked === null ? [] : [{ name: file.name, ...looked.scene }],
    );
    const unitSaid = scenes.find((scene) => scene.metresPerUnit !== null);
    const upSaid = scenes.find((scene) => scene.up !== null);
    const words: string[] = [];
    if (unitSaid !== undefined) {
      const { name, metresPerUnit } = unitSaid;
      const unit = unitOfMetres(metresPerUnit);
      const owner = this.partOf();
      if (owner === null) {
        this.unit.setValue(unit ?? 'unit');
        words.push(unit === null ? `${name} counts in units of ${metresPerUnit} m, which has no name here.` : `${unit}, as ${name} says.`);
      } else if (unit !== owner.unit)
        words.push(`${name} says that it is in ${unit ?? `units of ${metresPerUnit} m`}, and this asset is in ${owner.unit}: its numbers are taken as they are.`); // prettier-ignore
      const other = scenes.find((scene) => scene.metresPerUnit !== null && scene.metresPerUnit !== metresPerUnit);
      if (other !== undefined)
        words.push(`${other.name} says ${unitOfMetres(other.metresPerUnit) ?? `units of ${other.metresPerUnit} m`}: write all files in one unit.`); // prettier-ignore
    }
    if (upSaid?.up != null && this.partOf() === null) {
      this.up.setValue(upSaid.up);
      words.push(`${upSaid.up.toUpperCase()} is up, as ${upSaid.name} says.`);
    }
    this.said.set(words.length === 0 ? null : words.join(' '));
  }

  protected async send(): Promise<void> {
    this.message.set(null);
    this.stopped = false;
    this.fraction.set({ share: 0 });
    try {
      const sent = await this.upload();
      const alone = !this.severalParts();
      const name = this.name.value.trim() || this.parts()[0].name.trim();
      const { id } = await firstValueFrom(
        this.api.bringIn({
          name,
          unit: this.partOf()?.unit ?? this.unit.value,
          up: this.up.value,
          parts: this.parts().map((part) => ({
            name: alone ? name : part.name.trim(),
            files: part.paths.flatMap((path) => sent.get(path) ?? []),
          })),
          assetId: this.partOf()?.id ?? null,
          partId: this.completes()?.id ?? null,
          uvSet: this.uvSet.value === USUAL_SET ? null : this.uvSet.value,
        }),
      );
      this.clear();
      this.sentId.set(id);
    } catch (error) {
      this.message.set(sentenceOf(error));
    } finally {
      this.fraction.set(null);
    }
  }

  /** Sends the files one after another. @returns what requests name them by, by path */
  private async upload(): Promise<Map<string, Pick<Uploaded, 'hash' | 'name'>>> {
    const files = this.parts().flatMap((part) => part.paths.flatMap((path) => this.files().get(path) ?? []));
    const total = files.reduce((n, { file }) => n + file.size, 0);
    const sent = new Map<string, Pick<Uploaded, 'hash' | 'name'>>();
    let before = 0;
    for (const { path, file } of files) {
      const last = await lastValueFrom(
        this.api.upload(file).pipe(
          tap((step) => {
            if (this.stopped) throw new Error('Stopped; nothing was brought in.');
            if ('fraction' in step) this.fraction.set({ share: (before + step.fraction * file.size) / total });
          }),
        ),
      );
      if ('uploaded' in last) sent.set(path, { hash: last.uploaded.hash, name: last.uploaded.name });
      before += file.size;
    }
    return sent;
  }
}
