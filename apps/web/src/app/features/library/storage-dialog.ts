import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Store } from '@ngrx/store';
import { bytes } from '../../shared/format';
import { storageFeature, StorageDialog as Actions } from '../../state/storage.state';

/** How much is stored, and what of it can go. */
@Component({
  selector: 'est-storage-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatDialogModule, MatProgressBarModule],
  template: `
    <h2 mat-dialog-title>Storage</h2>
    <mat-dialog-content tabindex="0">
      @if (info(); as told) {
        <dl>
          <dt>Database on disk</dt>
          <dd class="num">{{ size(told.databaseBytes) }}</dd>
          <dt>Nobody needs any more</dt>
          <dd class="num">{{ size(told.freeableBytes) }}</dd>
        </dl>
        @if (goes().length > 0) {
          <p>To be freed for good:</p>
          <ul>
            @for (line of goes(); track line) {
              <li>{{ line }}</li>
            }
          </ul>
        } @else if (done() === '') {
          <p>Nothing to free: all that is stored is in use.</p>
        }
        <p class="muted">Delivered maps stay, and so does what was removed within a day. Freed room is used again for what comes.</p>
      }
      @if (freeing() || (info() === null && message() === null)) {
        <mat-progress-bar mode="indeterminate" [attr.aria-label]="freeing() ? 'Freeing' : 'Looking at what is stored'" />
      }
      <p role="status">{{ done() }}</p>
      @if (message(); as text) {
        <p class="refused" role="alert">{{ text }}</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button matButton="outlined" type="button" mat-dialog-close>Close</button>
      @if (goes().length > 0) {
        <button matButton="filled" type="button" [disabled]="freeing()" (click)="free()">
          Free {{ size(info()?.freeableBytes ?? 0) }}
        </button>
      }
    </mat-dialog-actions>
  `,
  styles: `
    mat-dialog-content {
      width: 360px;
    }
    dl {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 4px 16px;
      margin: 0 0 12px;
    }
    dd {
      margin: 0;
      text-align: right;
    }
    p {
      margin: 0 0 8px;
    }
    p:empty {
      display: none;
    }
    ul {
      margin: 0 0 8px;
      padding-left: 18px;
    }
    .refused {
      color: var(--madder);
    }
  `,
})
export class StorageDialog {
  private readonly store = inject(Store);
  protected readonly info = this.store.selectSignal(storageFeature.selectInfo);
  protected readonly freeing = this.store.selectSignal(storageFeature.selectFreeing);
  protected readonly message = this.store.selectSignal(storageFeature.selectMessage);
  private readonly freedBytes = this.store.selectSignal(storageFeature.selectFreedBytes);
  protected readonly size = bytes;
  protected readonly goes = computed(() => {
    const { removed = 0, outOfDate = 0, freeableBytes = 0 } = this.info() ?? {};
    return [
      ...(removed > 0 ? [`${removed} removed ${removed === 1 ? 'asset or part' : 'assets and parts'}, with all their maps`] : []),
      ...(outOfDate > 0
        ? [`${outOfDate} ${outOfDate === 1 ? 'map' : 'maps'} out of date; to be measured again if you go back to the mesh before`]
        : []),
      ...(freeableBytes > 0 ? ['files that were read, and what was measured again since'] : []),
    ];
  });
  protected readonly done = computed(() => {
    const freed = this.freedBytes();
    return freed === null ? '' : `${bytes(freed)} freed.`;
  });

  constructor() {
    this.store.dispatch(Actions.opened());
  }

  protected free(): void {
    this.store.dispatch(Actions.freeWanted());
  }
}
