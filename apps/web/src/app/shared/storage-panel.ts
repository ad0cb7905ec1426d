import { A11yModule } from '@angular/cdk/a11y';
import type { ConnectedPosition } from '@angular/cdk/overlay';
import { OverlayModule } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Store } from '@ngrx/store';
import { storageFeature, StoragePanel as Actions } from '../state/storage.state';
import { bytes } from './format';

/** How much is stored, and what of it can go. */
@Component({
  selector: 'est-storage-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [A11yModule, MatButtonModule, MatProgressBarModule, OverlayModule],
  template: `
    <button
      matButton
      type="button"
      cdkOverlayOrigin
      #origin="cdkOverlayOrigin"
      aria-haspopup="dialog"
      [attr.aria-expanded]="opened()"
      (click)="open()"
    >
      storage
    </button>
    <ng-template
      cdkConnectedOverlay
      cdkConnectedOverlayHasBackdrop
      cdkConnectedOverlayBackdropClass="cdk-overlay-transparent-backdrop"
      [cdkConnectedOverlayOrigin]="origin"
      [cdkConnectedOverlayOpen]="opened()"
      [cdkConnectedOverlayPositions]="below"
      (backdropClick)="opened.set(false)"
      (detach)="opened.set(false)"
    >
      <div class="sheet" role="dialog" aria-label="What is stored" cdkTrapFocus cdkTrapFocusAutoCapture tabindex="-1">
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
          }
          @if (goes().length === 0 && !freeing() && done() === '') {
            <p>Nothing to free: all that is stored is in use.</p>
          }
          <p class="muted">Delivered maps stay, and so does what was removed within a day. Freed room is used again for what comes.</p>
          @if (freeing()) {
            <mat-progress-bar mode="indeterminate" aria-label="Freeing" />
          } @else if (goes().length > 0) {
            <button matButton="filled" type="button" (click)="free()">Free {{ size(told.freeableBytes) }}</button>
          }
          <p role="status">{{ done() }}</p>
        } @else if (message() === null) {
          <mat-progress-bar mode="indeterminate" aria-label="Looking at what is stored" />
        }
        @if (message(); as text) {
          <p class="refused" role="alert">{{ text }}</p>
        }
      </div>
    </ng-template>
  `,
  styles: `
    .sheet {
      width: 320px;
      padding: 12px;
      background: var(--leaf);
      border: 1px solid var(--ink);
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
    [role='status'] {
      margin: 8px 0 0;
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
export class StoragePanel {
  private readonly store = inject(Store);
  protected readonly info = this.store.selectSignal(storageFeature.selectInfo);
  protected readonly freeing = this.store.selectSignal(storageFeature.selectFreeing);
  protected readonly message = this.store.selectSignal(storageFeature.selectMessage);
  private readonly freedBytes = this.store.selectSignal(storageFeature.selectFreedBytes);
  protected readonly opened = signal(false);
  protected readonly size = bytes;
  protected readonly below: ConnectedPosition[] = [{ originX: 'end', originY: 'bottom', overlayX: 'end', overlayY: 'top', offsetY: 8 }];
  protected readonly goes = computed(() => {
    const info = this.info();
    if (info === null) return [];
    return [
      ...(info.removed > 0
        ? [`${info.removed} removed ${info.removed === 1 ? 'asset or part' : 'assets and parts'}, with all their maps`]
        : []),
      ...(info.outOfDate > 0
        ? [`${info.outOfDate} ${info.outOfDate === 1 ? 'map' : 'maps'} out of date, measured on meshes that have changed since`]
        : []),
      ...(info.freeableBytes > 0 ? ['files that were read, and what was measured again since'] : []),
    ];
  });
  protected readonly done = computed(() => {
    const freed = this.freedBytes();
    return freed === null ? '' : `${bytes(freed)} freed.`;
  });

  protected open(): void {
    this.store.dispatch(Actions.opened());
    this.opened.set(true);
  }
  protected free(): void {
    this.store.dispatch(Actions.freeWanted());
  }
}
