import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';

/** Keys of the bench but those of its steps; the list under `?`. */
const SHORTCUTS: readonly (readonly [keys: string, what: string])[] = [
  ['N / P', 'next, previous span'],
  ['S / L', 'Stage or Sheet alone; press again for both'],
  ['W', 'wipe on the Stage, on and off'],
  ['X', 'exchange the two sides of the wipe'],
  ['F held', 'flicker between sculpt and what is shown'],
  ['H', 'level lines, on and off'],
  ['M', 'missed, doubtful and clipped texels on the surface'],
  ['G', 'hide or show the Gauge'],
  ['R', 'light or dark room'],
  ['Ctrl Z / Ctrl Shift Z', 'undo, redo: in Sculpt and Sheet of the light mesh, elsewhere of the encoding'],
  ['arrows, + and -, Home', 'turn or move the view under focus, nearer, farther, show all; Shift with arrows moves the Stage'],
  ['Enter on the Stage', 'mark, pick or brush what is in its middle; Shift adds, Alt takes away'],
  ['Tab, then arrows', 'move a Gauge handle, the wipe or the light; Shift for larger steps of a handle'],
  ['Enter on two rungs', 'draw a span'],
  ['?', 'this list'],
];

/** All keys, in a dialog. */
@Component({
  selector: 'est-shortcuts-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Keys</h2>
    <mat-dialog-content tabindex="0">
      <dl>
        @for (s of shortcuts(); track s[0]) {
          <dt class="num">{{ s[0] }}</dt>
          <dd>{{ s[1] }}</dd>
        }
      </dl>
    </mat-dialog-content>
    <mat-dialog-actions align="end"><button matButton="outlined" type="button" mat-dialog-close>Close</button></mat-dialog-actions>
  `,
  styles: `
    dl {
      display: grid;
      grid-template-columns: auto 1fr;
      gap: 0 24px;
      margin: 0;
    }
    dt,
    dd {
      margin: 0;
      padding: 4px 0;
      border-bottom: 1px solid var(--rule);
    }
  `,
})
export class ShortcutsPanel {
  /** Names of the steps, in the order of their keys. */
  readonly steps = input<readonly string[]>([]);
  protected readonly shortcuts = computed(() => [
    [this.steps().map((_, i) => i + 1).join(' '), this.steps().join(', ')],
    ...SHORTCUTS,
  ]); // prettier-ignore
}
