import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { IslandPicking } from '../../shared/island-picking';

/** What can be done to the islands that are chosen on the Sheet. */
@Component({
  selector: 'est-island-tools',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule],
  template: `
    <h3>Islands</h3>
    @if (picking.some()) {
      <p role="status">
        <span class="num">{{ picking.faces().length }}</span> chosen: drag them on the Sheet, or
      </p>
      <div class="line">
        <button matButton="outlined" type="button" (click)="picking.turn(1)">Turn left</button>
        <button matButton="outlined" type="button" (click)="picking.turn(3)">Turn right</button>
        <button matButton="outlined" type="button" (click)="picking.mirror()">Mirror</button>
        <button matButton type="button" (click)="picking.clear()">Let go</button>
      </div>
    } @else {
      <p class="muted">Press on an island on the Sheet to move, turn or mirror it; Shift adds another.</p>
    }
  `,
  styles: `
    p {
      margin: 4px 0;
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 6px;
      margin: 4px 0 8px;
    }
    button {
      padding: 0 8px;
    }
  `,
})
export class IslandTools {
  protected readonly picking = inject(IslandPicking);
}
