import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import type { AssetDetail, MeasureRecipe, MeasureRequest, SavedRecipe } from '@estampe/contracts';
import { plainName, readRecipeFile, writeRecipeFile } from '@estampe/contracts';
import { whyNot } from './recipe-fit';

/** Settings kept under a name: take them for this part, save the present ones, send them as a file and back. */
@Component({
  selector: 'est-recipe-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="field-row">
      <label for="recipe">Recipe</label>
      <select id="recipe" (change)="choose($event)">
        <option value="" [selected]="chosen() === null">{{ choices().length === 0 ? 'none saved yet' : 'choose one' }}</option>
        @for (c of choices(); track c.recipe.id) {
          <option [value]="c.recipe.id" [selected]="c.recipe.id === chosen()?.id">
            {{ c.recipe.name }}{{ c.why ? ' (does not fit)' : '' }}
          </option>
        }
      </select>
    </div>
    @if (message() ?? reason(); as text) {
      <p class="note warn" role="status">{{ text }}</p>
    }
    <div class="bar">
      <input
        type="text"
        aria-label="Name for these settings"
        placeholder="name"
        maxlength="60"
        [value]="name()"
        (input)="name.set(text($event))"
      />
      <button type="button" class="plain-button" [disabled]="name().trim() === ''" (click)="save()">Save</button>
      <a class="plain-button" [href]="address()" [download]="fileName()">Export</a>
      <button type="button" class="plain-button" (click)="picker.click()">Import…</button>
      @if (chosen(); as c) {
        <button type="button" class="plain-button" (click)="remove(c.id)">Delete</button>
      }
      <input #picker hidden type="file" accept=".json,application/json" aria-label="A recipe file" (change)="take($event)" />
    </div>
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 4px;
      align-items: center;
      padding: 6px 0;
    }
    .bar input[type='text'] {
      width: 84px;
      border: 0;
      border-bottom: 1px solid var(--graphite);
      background: transparent;
      padding: 2px;
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

  protected readonly name = signal('');
  private readonly chosenId = signal<string | null>(null);
  private readonly own = signal<string | null>(null);
  protected readonly message = computed(() => this.own() ?? this.refused());
  protected readonly chosen = computed(() => this.recipes().find((r) => r.id === this.chosenId()) ?? null);
  protected readonly choices = computed(() => this.recipes().map((recipe) => ({ recipe, why: whyNot(recipe, this.asset()) })));
  protected readonly reason = computed(() => {
    const chosen = this.chosen();
    return chosen && whyNot(chosen, this.asset());
  });
  private readonly present = computed((): MeasureRecipe => ({
    name: [this.name().trim(), this.chosen()?.name, this.asset().name].find((n) => n !== undefined && n !== '') ?? 'recipe',
    unit: this.asset().unit,
    settings: this.settings(),
  }));
  protected readonly address = computed(() => `data:application/json;charset=utf-8,${encodeURIComponent(writeRecipeFile(this.present()))}`);
  protected readonly fileName = computed(() => `${plainName(this.present().name)}.recipe.json`);

  protected text(event: Event): string {
    return (event.target as HTMLInputElement).value;
  }
  protected choose(event: Event): void {
    const recipe = this.recipes().find((r) => r.id === this.text(event)) ?? null;
    this.own.set(null);
    this.chosenId.set(recipe?.id ?? null);
    if (recipe && whyNot(recipe, this.asset()) === null) this.applied.emit(recipe.settings);
  }
  protected save(): void {
    this.own.set(null);
    this.saved.emit(this.present());
    this.name.set('');
  }
  protected remove(id: string): void {
    this.chosenId.set(null);
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
      this.name.set(read.name);
      this.applied.emit(read.settings);
    }
  }
}
