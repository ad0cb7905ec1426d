import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatInputModule } from '@angular/material/input';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { AssetDetail, Uploaded } from '@estampe/contracts';
import { MAX_UPLOAD_FILES, unitOfMetres, UNITS } from '@estampe/contracts';
import { firstValueFrom, lastValueFrom, tap } from 'rxjs';
import * as z from 'zod';
import type { MeshFormatId } from '@estampe/core';
import { MESH_FORMAT_NAMES, meshFormatOf, SCENE_HEAD_BYTES, sceneOfHead, withoutMeshEnding } from '@estampe/core';
import { Api, sentenceOf } from '../api/api';
import { MESH_FILES, refusalOf } from './mesh-files';
import { bytes } from './format';
import { ChoiceField } from './forms/choice-field';
import { remember, remembered } from './remembered';

const UNIT_KEY = 'estampe.unit';
const unitSchema = z.enum(UNITS);
/** Formats that may hold several sets of UVs. */
const SEVERAL_SETS: ReadonlySet<MeshFormatId | null> = new Set(['usd', 'usdz', 'gltf']);

/** Takes files, sends them, and asks for an asset to be made of them. Roles are found by the server: fewest faces is the light mesh. */
@Component({
  selector: 'est-bring-in-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, MatButtonModule, MatInputModule, MatProgressBarModule, ReactiveFormsModule],
  template: `
    @if (partOf()) {
      <p>
        Drop its {{ formats }} files here: a light mesh (UVs can be made here), and either its subdivision levels or a free sculpt, in the
        same unit as this asset.
      </p>
    } @else {
      <h2>Bring in a sculpt</h2>
      <p>
        Drop {{ formats }} files anywhere on this page: the light mesh (UVs can be made here), and either its subdivision levels or a free
        sculpt. The file with the fewest faces is taken as the light mesh. Up to 2 GiB a file, {{ maxFiles }} files.
      </p>
    }
    <button matButton="outlined" type="button" (click)="picker.click()">Choose files…</button>
    <input #picker hidden type="file" multiple aria-label="Mesh files" [accept]="accepted" (change)="pick($event)" />
    @if (files().length > 0) {
      <ul>
        @for (file of files(); track file.name) {
          <li>
            <span>{{ file.name }}</span><span class="num">{{ size(file) }}</span>
          </li>
        }
      </ul>
      <div class="fields">
        <mat-form-field class="wide">
          <mat-label>Name</mat-label>
          <input matInput maxlength="80" [formControl]="name" />
        </mat-form-field>
        @if (partOf() === null) {
          <est-choice-field label="Unit of the files" [control]="unit" [options]="units" />
        }
      </div>
      @if (mayHaveSets()) {
        <mat-form-field class="wide">
          <mat-label>UV set, where a file has several</mat-label>
          <input matInput maxlength="120" placeholder="the usual one" [formControl]="uvSet" />
        </mat-form-field>
      }
      @if (saidUnit(); as said) {
        <p class="note" role="status">{{ said }}</p>
      }
      <p class="actions">
        @if (fraction(); as sent) {
          <mat-progress-bar mode="determinate" aria-label="Upload" [value]="100 * sent.share" />
          <button matButton="outlined" type="button" (click)="stop()">Cancel</button>
        } @else {
          <button matButton="outlined" type="button" (click)="clear()">Clear</button>
          <button matButton="filled" type="button" [disabled]="!ready()" (click)="send()">Bring in</button>
        }
      </p>
      @if (files().length < 2) {
        <p class="note warn">
          Add the sculpt as well: {{ partOf() ? 'a part' : 'an asset' }} needs a light mesh and at least one finer mesh.
        </p>
      }
    }
    @if (message(); as m) {
      <p class="note bad" role="alert">{{ m }}</p>
    }
    @if (sent()) {
      <p class="note" role="status">
        On the press. The {{ partOf() ? 'part' : 'asset' }} appears in the list when it has been read and checked.
      </p>
    }
  `,
  styles: `
    h2 {
      font-size: 20px;
      line-height: 28px;
      margin-bottom: 8px;
    }
    ul {
      list-style: none;
      padding: 0;
      margin: 16px 0 8px;
    }
    li {
      display: flex;
      justify-content: space-between;
      gap: 8px;
      padding: 3px 0;
      border-bottom: 1px solid var(--rule);
      overflow-wrap: anywhere;
    }
    mat-progress-bar {
      flex: 1;
    }
  `,
})
export class BringInPanel {
  protected readonly accepted = MESH_FILES;
  protected readonly formats = MESH_FORMAT_NAMES;
  readonly dropped = input<readonly File[]>([]);
  /** The asset that gets one more part; null makes a new asset. */
  readonly partOf = input<Pick<AssetDetail, 'id' | 'unit'> | null>(null);
  private readonly api = inject(Api);
  protected readonly maxFiles = MAX_UPLOAD_FILES;
  protected readonly units = UNITS.map((value) => ({ value, label: value }));
  protected readonly files = signal<readonly File[]>([]);
  protected readonly name = new FormControl('', { nonNullable: true });
  private readonly named = toSignal(this.name.valueChanges, { initialValue: '' });
  protected readonly unit = new FormControl(remembered(UNIT_KEY, unitSchema, 'mm'), { nonNullable: true });
  /** How much is sent, while it is. */
  protected readonly fraction = signal<{ readonly share: number } | null>(null);
  protected readonly message = signal<string | null>(null);
  protected readonly sent = signal(false);
  protected readonly ready = computed(() => this.files().length >= 2 && this.named().trim() !== '');
  /** Which of several sets of UVs; empty takes the usual one. */
  protected readonly uvSet = new FormControl('', { nonNullable: true });
  protected readonly mayHaveSets = computed(() => this.files().some((f) => SEVERAL_SETS.has(meshFormatOf(f.name))));
  /** What a file says of its unit. */
  protected readonly saidUnit = signal<string | null>(null);
  private stopped = false;

  constructor() {
    this.unit.valueChanges.pipe(takeUntilDestroyed()).subscribe((unit) => remember(UNIT_KEY, unit));
    effect(() => {
      const dropped = this.dropped();
      // once a drop: what adding looks at must not bring the files back when it changes
      if (dropped.length > 0) untracked(() => this.add(dropped));
    });
  }

  protected size(file: File): string {
    return bytes(file.size);
  }
  protected pick(event: Event): void {
    const input = event.target as HTMLInputElement;
    this.add([...(input.files ?? [])]);
    input.value = '';
  }
  protected clear(): void {
    this.files.set([]);
    this.message.set(null);
    this.saidUnit.set(null);
  }
  protected stop(): void {
    this.stopped = true;
  }

  private add(more: readonly File[]): void {
    const refusal = more.map(refusalOf).find((r) => r !== null);
    this.sent.set(false);
    if (refusal) this.message.set(refusal);
    else {
      this.message.set(null);
      const names = new Set(more.map((f) => f.name));
      this.files.update((files) => [...files.filter((f) => !names.has(f.name)), ...more].slice(0, MAX_UPLOAD_FILES));
      void this.readUnit(more);
      if (this.name.value === '') this.name.setValue(withoutMeshEnding(more[0].name).replace(/[-_]+/g, ' '));
    }
  }

  /** Takes the unit that a file says, which the user may change. */
  private async readUnit(files: readonly File[]): Promise<void> {
    for (const file of files) {
      const { metresPerUnit } = sceneOfHead(new Uint8Array(await file.slice(0, SCENE_HEAD_BYTES).arrayBuffer()));
      if (metresPerUnit === null) continue;
      const unit = unitOfMetres(metresPerUnit);
      const owner = this.partOf();
      if (owner !== null) {
        if (unit !== owner.unit) this.saidUnit.set(`${file.name} says that it is in ${unit ?? `units of ${metresPerUnit} m`}, and this asset is in ${owner.unit}: its numbers are taken as they are.`); // prettier-ignore
        return;
      }
      this.unit.setValue(unit ?? 'unit');
      this.saidUnit.set(
        unit === null ? `${file.name} counts in units of ${metresPerUnit} m, which has no name here.` : `${unit}, as ${file.name} says.`,
      );
      return;
    }
  }

  protected async send(): Promise<void> {
    this.message.set(null);
    this.stopped = false;
    this.fraction.set({ share: 0 });
    try {
      const total = this.files().reduce((n, f) => n + f.size, 0);
      const uploaded: Uploaded[] = [];
      let before = 0;
      for (const file of this.files()) {
        const last = await lastValueFrom(
          this.api.upload(file).pipe(
            tap((step) => {
              if (this.stopped) throw new Error('Stopped; nothing was brought in.');
              if ('fraction' in step) this.fraction.set({ share: (before + step.fraction * file.size) / total });
            }),
          ),
        );
        if ('uploaded' in last) uploaded.push(last.uploaded);
        before += file.size;
      }
      await firstValueFrom(
        this.api.bringIn({
          name: this.name.value.trim(),
          unit: this.partOf()?.unit ?? this.unit.value,
          files: uploaded.map(({ hash, name }) => ({ hash, name })),
          assetId: this.partOf()?.id ?? null,
          uvSet: this.mayHaveSets() ? this.uvSet.value.trim() || null : null,
        }),
      );
      this.files.set([]);
      this.name.setValue('');
      this.uvSet.setValue('');
      this.saidUnit.set(null);
      this.sent.set(true);
    } catch (error) {
      this.message.set(sentenceOf(error));
    } finally {
      this.fraction.set(null);
    }
  }
}
