import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import type { ChangeRow } from '@estampe/contracts';
import { NameDialog } from './name-dialog';

/** What can be done to an asset or a part as a whole: another name, and away with it. */
@Component({
  selector: 'est-row-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatIconModule, MatMenuModule],
  template: `
    <button matIconButton type="button" [attr.aria-label]="'More about ' + name()" [matMenuTriggerFor]="menu">
      <mat-icon svgIcon="more" />
    </button>
    <mat-menu #menu="matMenu">
      <button mat-menu-item type="button" (click)="rename()"><mat-icon svgIcon="rename" />Rename {{ name() }}…</button>
      <button mat-menu-item type="button" (click)="changed.emit({ removed: true })">
        <mat-icon svgIcon="remove" />Remove {{ name() }}
      </button>
    </mat-menu>
  `,
  styles: `
    :host {
      display: flex;
    }
  `,
})
export class RowMenu {
  readonly name = input.required<string>();
  readonly changed = output<ChangeRow>();
  private readonly dialogs = inject(MatDialog);

  protected rename(): void {
    const dialog = this.dialogs.open<NameDialog, unknown, string>(NameDialog);
    const was = this.name();
    dialog.componentRef?.setInput('name', was);
    dialog.afterClosed().subscribe((name) => {
      if (name !== undefined && name !== was) this.changed.emit({ name, was });
    });
  }
}
