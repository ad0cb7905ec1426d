import type { OnDestroy } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { count } from '../../shared/format';
import { SeamPicking } from '../../shared/seam-picking';

/** Seams that are picked on the Stage: how many, and ways to begin anew. */
@Component({
  selector: 'est-seam-picker',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule],
  template: `
    <p class="muted">
      Press on an edge of the light mesh to cut there, or to join what is cut; with Shift the whole row of edges. The right button turns the
      view.
    </p>
    <p role="status">
      <span class="num">{{ edges() }}</span> edges are cut
    </p>
    <div class="line">
      <button matButton="outlined" type="button" [disabled]="!picking.canUndo()" (click)="picking.undo()">Take back</button>
      <button matButton="outlined" type="button" (click)="picking.reset()">As it is</button>
      <button matButton="outlined" type="button" (click)="picking.clear()">None</button>
    </div>
  `,
  styles: `
    p {
      margin: 4px 0;
    }
    .line {
      display: flex;
      gap: 6px;
      margin: 4px 0 8px;
    }
  `,
})
export class SeamPicker implements OnDestroy {
  readonly meshId = input.required<string>();
  protected readonly picking = inject(SeamPicking);
  protected readonly edges = computed(() => count(this.picking.count()));

  constructor() {
    effect(() => void this.picking.open(this.meshId()));
  }
  ngOnDestroy(): void {
    this.picking.close();
  }
}
