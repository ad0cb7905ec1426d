import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import type { FormControl } from '@angular/forms';
import { MatExpansionModule } from '@angular/material/expansion';
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

  private readonly own = signal<readonly string[]>([]);
  protected readonly rows = computed(() =>
    (this.made()?.names ?? this.own())
      .filter((group) => group !== '')
      .map((group) => {
        const control: FormControl<number> = controlOf(groupWeightSchema, 1);
        control.valueChanges.subscribe(() => this.tell());
        return { group, control };
      }),
  );
  private readonly told = signal<Weights>({});
  protected readonly summary = computed(() => {
    const several = Object.entries(this.told());
    return several.length === 0 ? 'all alike' : several.map(([group, weight]) => `${group} ${weight}`).join(', ');
  });

  constructor() {
    effect(() => {
      const id = this.meshId();
      this.own.set([]);
      if (this.made() === null)
        void this.meshes.faces(id).then(({ groups }) => {
          if (id === this.meshId()) this.own.set(groups.names);
        });
    });
    // what was typed belongs to the groups that were there
    effect(() => {
      this.rows();
      this.tell();
    });
  }

  private tell(): void {
    const rows = this.rows();
    const weights = Object.fromEntries(
      rows.filter(({ control }) => control.value !== 1).map(({ group, control }) => [group, control.value]),
    );
    const sound = rows.every(({ control }) => control.valid);
    if (sound) this.told.set(weights);
    this.changed.emit(sound ? weights : null);
  }
}
