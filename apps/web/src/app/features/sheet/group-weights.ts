import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import type { FormControl } from '@angular/forms';
import { MatExpansionModule } from '@angular/material/expansion';
import type { Subscription } from 'rxjs';
import { merge } from 'rxjs';
import type { PartInfo, UnwrapRequest } from '@estampe/contracts';
import { groupWeightSchema } from '@estampe/contracts';
import { MeshStore } from '../../shared/mesh-store';
import { NumberField } from '../../shared/forms/number-field';
import { controlOf } from '../../shared/forms/zod-form';

type Weights = UnwrapRequest['weights'];

/** How many times as many texels a length each group gets. */
@Component({
  selector: 'est-group-weights',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatExpansionModule, NumberField],
  template: `
    @if (rows().length > 1) {
      <mat-accordion displayMode="flat">
        <mat-expansion-panel>
          <mat-expansion-panel-header>
            <mat-panel-title>By group</mat-panel-title>
            <mat-panel-description>texels {{ summary() }}</mat-panel-description>
          </mat-expansion-panel-header>
          <p class="muted">Texels a length, beside those of a group at 1; an island of several groups takes their mean by area.</p>
          <div class="rows">
            @for (row of rows(); track row.group) {
              <est-number-field [label]="row.group" unit="x" [control]="row.control" />
            }
          </div>
        </mat-expansion-panel>
      </mat-accordion>
    }
  `,
  styles: `
    .rows {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 4px 12px;
    }
    p {
      margin: 0 0 8px;
    }
  `,
})
export class GroupWeights {
  private readonly meshes = inject(MeshStore);
  readonly meshId = input.required<string>();
  /** Groups made here; null for those that the mesh came with. */
  readonly made = input.required<PartInfo['groups']>();
  /** Weights other than 1; null while one cannot be taken. */
  readonly changed = output<Weights | null>();

  protected readonly rows = signal<readonly { readonly group: string; readonly control: FormControl<number> }[]>([]);
  private typing: Subscription | null = null;
  private readonly told = signal<Weights>({});
  protected readonly summary = computed(() => {
    const several = Object.entries(this.told());
    return several.length === 0 ? 'all alike' : several.map(([group, weight]) => `${group} ${weight}`).join(', ');
  });

  constructor() {
    effect(() => {
      const id = this.meshId();
      const made = this.made();
      this.begin(made?.names ?? []);
      if (made === null)
        void this.meshes.faces(id).then(({ groups }) => {
          if (id === this.meshId() && this.made() === null) this.begin(groups.names);
        });
    });
  }

  /** A row for each group; what was typed belongs to the groups that were there. */
  private begin(names: readonly string[]): void {
    this.typing?.unsubscribe();
    const rows = names.filter((group) => group !== '').map((group) => ({ group, control: controlOf(groupWeightSchema, 1) }));
    this.rows.set(rows);
    this.typing = merge(...rows.map(({ control }) => control.valueChanges)).subscribe(() => this.tell());
    this.tell();
  }
  private tell(): void {
    const rows = untracked(this.rows);
    const weights = Object.fromEntries(
      rows.filter(({ control }) => control.value !== 1).map(({ group, control }) => [group, control.value]),
    );
    const sound = rows.every(({ control }) => control.valid);
    if (sound) this.told.set(weights);
    this.changed.emit(sound ? weights : null);
  }
}
