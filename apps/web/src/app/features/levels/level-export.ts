import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatSelectModule } from '@angular/material/select';
import type { AssetDetail } from '@estampe/contracts';
import { addressOf, ROUTES, WRITTEN_FORMATS } from '@estampe/contracts';
import type { MeshFormat } from '@estampe/core';
import { MESH_FORMATS } from '@estampe/core';

const saysOf = ({ holds }: MeshFormat): string => [...(holds.polygons ? [] : ['triangles only']), ...(holds.uvs === 'none' ? ['no UVs'] : []), ...(holds.groups === 'none' ? ['no groups'] : [])].join(', '); // prettier-ignore
const FORMATS = WRITTEN_FORMATS.map((id) => ({ id, name: MESH_FORMATS[id].name, says: saysOf(MESH_FORMATS[id]) }));

/** Any level as a file. */
@Component({
  selector: 'est-level-export',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatSelectModule],
  template: `
    <mat-form-field>
      <mat-label>Level</mat-label>
      <mat-select [value]="shown()" (valueChange)="chosen.set($event)">
        @for (level of levels(); track level) {
          <mat-option [value]="level">{{ level }}</mat-option>
        }
      </mat-select>
    </mat-form-field>
    <mat-form-field>
      <mat-label>As</mat-label>
      <mat-select [(value)]="format">
        <mat-select-trigger>{{ nameOf() }}</mat-select-trigger>
        @for (f of formats; track f.id) {
          <mat-option [value]="f.id"
            >{{ f.name }} <span class="muted">{{ f.says }}</span></mat-option
          >
        }
      </mat-select>
    </mat-form-field>
    <a matButton="outlined" [href]="url()" download>Save</a>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 72px minmax(0, 1fr) auto;
      gap: 8px;
      align-items: center;
    }
  `,
})
export class LevelExport {
  readonly asset = input.required<AssetDetail>();
  protected readonly formats = FORMATS;
  protected readonly chosen = signal<number | null>(null);
  protected readonly format = signal<(typeof FORMATS)[number]['id']>('obj');
  protected readonly levels = computed(() =>
    this.asset()
      .levelList.map(({ level }) => level)
      .reverse(),
  );
  /** The finest, unless another was chosen that is still there. */
  protected readonly shown = computed(() => this.levels().find((level) => level === this.chosen()) ?? this.levels()[0]);
  protected readonly nameOf = computed(() => MESH_FORMATS[this.format()].name);
  protected readonly url = computed(() => addressOf(ROUTES.levelFile, { id: this.asset().part.id }, { level: String(this.shown()), format: this.format() })); // prettier-ignore
}
