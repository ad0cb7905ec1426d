import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { PartInfo } from '@estampe/contracts';
import { stateAfter, stateBefore } from '../state/low-states';

/** Undo and redo of a part's light mesh. */
@Component({
  selector: 'est-state-buttons',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatIconModule, MatTooltipModule],
  template: `
    <button matIconButton type="button" aria-label="Undo" [matTooltip]="undoWords()" [disabled]="before() === null" (click)="go(before())">
      <mat-icon svgIcon="undo" />
    </button>
    <button matIconButton type="button" aria-label="Redo" [matTooltip]="redoWords()" [disabled]="after() === null" (click)="go(after())">
      <mat-icon svgIcon="redo" />
    </button>
  `,
  styles: `
    :host {
      display: flex;
    }
  `,
})
export class StateButtons {
  readonly part = input.required<Pick<PartInfo, 'states' | 'statePlace'>>();
  /** A state to go to. */
  readonly went = output<number>();
  protected readonly before = computed(() => stateBefore(this.part()));
  protected readonly after = computed(() => stateAfter(this.part()));
  protected readonly undoWords = computed(() => {
    const { states, statePlace } = this.part();
    const now = states.find(({ place }) => place === statePlace);
    return this.before() === null || now === undefined ? 'nothing to undo' : `undo: ${now.title} (Ctrl Z)`;
  });
  protected readonly redoWords = computed(() => {
    const after = this.after();
    return after === null ? 'nothing to redo' : `redo: ${after.title} (Ctrl Shift Z)`;
  });
  protected go(state: { readonly place: number } | null): void {
    if (state !== null) this.went.emit(state.place);
  }
}
