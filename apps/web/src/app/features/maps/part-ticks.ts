import { ChangeDetectionStrategy, Component, computed, input, model, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { KIND_WORDS } from '@estampe/contracts';
import { whyNot } from '../../shared/recipe-fit';

/** The other parts of an asset: ticked ones are measured in the same go, each by its own recipe; without one, by the settings shown. */
@Component({
  selector: 'est-part-ticks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatCheckboxModule],
  template: `
    <div role="group" aria-label="Other parts">
      <h3>Other parts</h3>
      @for (row of rows(); track row.id) {
        <div class="row">
          <mat-checkbox [checked]="isTicked(row.id)" [disabled]="row.why !== null && !isTicked(row.id)" (change)="tick(row.id)">
            {{ row.name }}
          </mat-checkbox>
          <span class="how">{{ row.how }}</span>
        </div>
        @if (row.why; as why) {
          <p class="note warn">{{ why }}</p>
        }
      }
      <button matButton="outlined" type="button" [disabled]="copyTo().length === 0" (click)="copied.emit(copyTo())">
        Copy these settings to the ticked parts
      </button>
    </div>
  `,
  styles: `
    .row {
      display: flex;
      justify-content: space-between;
      align-items: center;
      gap: 8px;
    }
    .how {
      text-align: right;
      color: var(--graphite);
    }
    .note {
      margin: 0 0 4px 22px;
    }
  `,
})
export class PartTicks {
  readonly asset = input.required<AssetDetail>();
  readonly settings = input.required<MeasureRequest>();
  /** Ids of other parts. */
  readonly ticked = model.required<readonly string[]>();
  /** Ids of parts that are to take the settings shown as their recipe. */
  readonly copied = output<readonly string[]>();

  private readonly others = computed(() => this.asset().parts.filter((part) => part.id !== this.asset().part.id));
  protected readonly rows = computed(() =>
    this.others().map((part) => ({
      id: part.id,
      name: part.name,
      how: part.recipe === null ? 'these settings' : inWords(part.recipe),
      why: this.whyNot(part.id, part.recipe ?? this.settings()),
    })),
  );
  /** Ticked parts that the settings shown fit. */
  protected readonly copyTo = computed(() => this.ticked().filter((id) => this.whyNot(id, this.settings()) === null));

  protected isTicked(id: string): boolean {
    return this.ticked().includes(id);
  }
  protected tick(id: string): void {
    this.ticked.update((ids) => (ids.includes(id) ? ids.filter((other) => other !== id) : [...ids, id]));
  }
  private whyNot(id: string, settings: MeasureRequest): string | null {
    const { unit } = this.asset();
    const part = this.others().find((p) => p.id === id);
    return part ? whyNot({ name: part.name, unit, settings }, { ...part, unit }) : null;
  }
}

const inWords = ({ kinds, size, fromLevel, toLevel }: MeasureRequest): string =>
  `${kinds.map((kind) => KIND_WORDS[kind]).join(', ')}, ${size}, ${fromLevel} to ${toLevel}`;
