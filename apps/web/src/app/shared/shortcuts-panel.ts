import type { ElementRef } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, input, viewChild } from '@angular/core';

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
  ['Ctrl Z / Ctrl Shift Z', 'undo, redo of the encoding'],
  ['arrows, + and -, Home', 'turn or move the view under focus, nearer, farther, show all'],
  ['Tab, then arrows', 'move a Gauge handle, the wipe or the light; Shift for larger steps of a handle'],
  ['Enter on two rungs', 'draw a span'],
  ['?', 'this list'],
];

@Component({
  selector: 'est-shortcuts-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <dialog #dialog aria-labelledby="keys-title">
      <h2 id="keys-title">Keys</h2>
      <table class="figures">
        <tbody>
          @for (s of shortcuts(); track s[0]) {
            <tr>
              <th class="num">{{ s[0] }}</th>
              <td>{{ s[1] }}</td>
            </tr>
          }
        </tbody>
      </table>
      <form method="dialog"><button class="plain-button">Close</button></form>
    </dialog>
  `,
  styles: `
    dialog {
      border: 1px solid var(--ink);
      border-radius: 2px;
      background: var(--leaf);
      color: var(--ink);
      padding: 20px 24px;
      max-width: 680px;
    }
    dialog::backdrop {
      background: #23211d66;
    }
    h2 {
      font-size: 20px;
      margin-bottom: 8px;
    }
    table.figures th {
      white-space: nowrap;
      padding-right: 24px;
    }
    table.figures td {
      white-space: normal;
      text-align: left;
      font: 13px/18px var(--sans);
    }
    form {
      display: flex;
      justify-content: flex-end;
      margin-top: 14px;
    }
  `,
})
export class ShortcutsPanel {
  private readonly dialog = viewChild.required<ElementRef<HTMLDialogElement>>('dialog');
  /** Names of the steps, in the order of their keys. */
  readonly steps = input.required<readonly string[]>();
  protected readonly shortcuts = computed(() => [
    [
      this.steps()
        .map((_, i) => i + 1)
        .join(' '),
      this.steps().join(', '),
    ],
    ...SHORTCUTS,
  ]);
  open(): void {
    this.dialog().nativeElement.showModal();
  }
}
