import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatInputModule } from '@angular/material/input';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { AssetDetail, MeasureRecipe, MeasureRequest, SavedRecipe } from '@estampe/contracts';
import { plainName, readRecipeFile, writeRecipeFile } from '@estampe/contracts';
import { ChoiceField } from '../../shared/forms/choice-field';
import { whyNot } from '../../shared/recipe-fit';

/** Settings kept under a name: take them for this part, save the present ones, send them as a file and back. */
@Component({
  selector: 'est-recipe-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, MatButtonModule, MatIconModule, MatInputModule, MatMenuModule, MatTooltipModule, ReactiveFormsModule],
  template: `
    <div class="fields">
      <est-choice-field label="Recipe" class="wide" [empty]="empty()" [control]="taken" [options]="choices()" />
      @if (message() ?? reason(); as text) {
        <p class="note warn wide" role="status">{{ text }}</p>
      }
      @if (asset().usual; as usual) {
        <p class="muted wide usual">Assets of {{ asset().production }} start from {{ usual.name }}.</p>
      }
      <mat-form-field>
        <mat-label>Name for these settings</mat-label>
        <input matInput maxlength="60" [formControl]="name" />
      </mat-form-field>
      <div class="bar">
        <button matButton="outlined" type="button" [disabled]="name.value.trim() === ''" (click)="save()">Save</button>
        <button matIconButton type="button" aria-label="More about recipes" matTooltip="export, import, delete" [matMenuTriggerFor]="more">
          <mat-icon svgIcon="more" />
        </button>
        <mat-menu #more="matMenu">
          <a mat-menu-item [href]="address()" [download]="fileName()">Export these settings</a>
          <button mat-menu-item type="button" (click)="picker.click()">Import a recipe file…</button>
          @if (chosen(); as c) {
            @if (asset().usual?.id !== c.id) {
              <button mat-menu-item type="button" (click)="used.emit(c.id)">
                Start every asset of {{ asset().production }} from {{ c.name }}
              </button>
            }
            <button mat-menu-item type="button" (click)="remove(c.id)">Delete {{ c.name }}</button>
          }
          @if (asset().usual; as usual) {
            <button mat-menu-item type="button" (click)="used.emit(null)">Start no asset from {{ usual.name }} any more</button>
          }
        </mat-menu>
        <input #picker hidden type="file" accept=".json,application/json" aria-label="A recipe file" (change)="take($event)" />
      </div>
    </div>
  `,
  styles: `
    .usual {
      margin: 0;
    }
    .bar {
      display: flex;
      gap: 4px;
      align-items: flex-end;
    }
  `,
})
export class RecipeBar {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<MeasureRequest>();
  readonly recipes = input<readonly SavedRecipe[]>([]);
  /** What the server said to the last wish. */
  readonly refused = input<string | null>(null);
  readonly applied = output<MeasureRequest>();
  readonly saved = output<MeasureRecipe>();
  readonly removed = output<string>();
  /** The recipe that assets of this production start from; null for none. */
  readonly used = output<string | null>();

  protected readonly name = new FormControl('', { nonNullable: true });
  private readonly named = toSignal(this.name.valueChanges, { initialValue: '' });
  /** Id of the recipe that was chosen; null for none. */
  protected readonly taken = new FormControl<string | null>(null);
  private readonly takenId = toSignal(this.taken.valueChanges, { initialValue: null });
  private readonly own = signal<string | null>(null);
  protected readonly message = computed(() => this.own() ?? this.refused());
  protected readonly chosen = computed(() => this.recipes().find((r) => r.id === this.takenId()) ?? null);
  protected readonly choices = computed(() =>
    this.recipes().map((recipe) => ({
      value: recipe.id,
      label: `${recipe.name}${whyNot(recipe, this.asset()) === null ? '' : ' (does not fit)'}`,
    })),
  );
  protected readonly empty = computed(() => (this.recipes().length === 0 ? 'none saved yet' : 'choose one'));
  protected readonly reason = computed(() => {
    const chosen = this.chosen();
    return chosen && whyNot(chosen, this.asset());
  });
  private readonly present = computed((): MeasureRecipe => ({
    name: [this.named().trim(), this.chosen()?.name, this.asset().name].find((n) => n !== undefined && n !== '') ?? 'recipe',
    unit: this.asset().unit,
    settings: this.settings(),
  }));
  protected readonly address = computed(() => `data:application/json;charset=utf-8,${encodeURIComponent(writeRecipeFile(this.present()))}`);
  protected readonly fileName = computed(() => `${plainName(this.present().name)}.recipe.json`);

  constructor() {
    this.taken.valueChanges.pipe(takeUntilDestroyed()).subscribe((id) => {
      const recipe = this.recipes().find((r) => r.id === id);
      this.own.set(null);
      if (recipe && whyNot(recipe, this.asset()) === null) this.applied.emit(recipe.settings);
    });
  }

  protected save(): void {
    this.own.set(null);
    this.saved.emit(this.present());
    this.name.setValue('');
  }
  protected remove(id: string): void {
    this.taken.setValue(null);
    this.removed.emit(id);
  }
  protected async take(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    if (!file) return;
    const read = readRecipeFile(await file.text(), file.name);
    field.value = ''; // the same file may be chosen again
    const why = typeof read === 'string' ? read : whyNot(read, this.asset());
    this.own.set(why === null ? null : typeof read === 'string' ? why : `${file.name} does not fit here. ${why}`);
    if (typeof read !== 'string' && why === null) {
      this.name.setValue(read.name);
      this.applied.emit(read.settings);
    }
  }
}
