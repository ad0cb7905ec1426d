import { ChangeDetectionStrategy, Component, inject, input, linkedSignal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatInputModule } from '@angular/material/input';

/** Asks for another name of something; closes with it, or with nothing. */
@Component({
  selector: 'est-name-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MatButtonModule, MatDialogModule, MatInputModule],
  template: `
    <h2 mat-dialog-title>Rename {{ name() }}</h2>
    <form (ngSubmit)="take()">
      <mat-dialog-content>
        <mat-form-field>
          <mat-label>Name</mat-label>
          <input matInput name="name" maxlength="80" cdkFocusInitial [ngModel]="next()" (ngModelChange)="next.set($event)" />
        </mat-form-field>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button matButton="outlined" type="button" mat-dialog-close>Cancel</button>
        <button matButton="filled" type="submit" [disabled]="next().trim() === ''">Rename</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    mat-form-field {
      width: 320px;
    }
  `,
})
export class NameDialog {
  private readonly dialog = inject<MatDialogRef<NameDialog, string>>(MatDialogRef);
  readonly name = input('');
  protected readonly next = linkedSignal(() => this.name());

  protected take(): void {
    if (this.next().trim() !== '') this.dialog.close(this.next().trim());
  }
}
