import type { CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import { ScrollingModule } from '@angular/cdk/scrolling';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  signal,
  viewChild,
} from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatInputModule } from '@angular/material/input';
import { Router, RouterLink } from '@angular/router';
import type { AssetSummary, ChangeRow } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { addressOf, ROUTES } from '@estampe/contracts';
import { count } from '../../shared/format';
import { PressPanel } from '../../shared/press-panel';
import { ChoiceField, choicesOf } from '../../shared/forms/choice-field';
import { remember, remembered } from '../../shared/remembered';
import { RowMenu } from '../../shared/row-menu';
import { assetsFeature, LibraryPage as Actions, RowMenu as RowActions } from '../../state/assets.state';
import { pressFeature } from '../../state/press.state';
import { BringInPanel } from '../../shared/bring-in/bring-in-panel';
import { droppedFiles } from '../../shared/bring-in/dropped-files';
import type { FileAt } from '../../workers/file-messages';
import type { Order } from './asset-order';
import { found, ORDERS, orderSchema } from './asset-order';
import { StorageDialog } from './storage-dialog';

const ORDER_KEY = 'estampe.order';
/** Of the list, in pixels: the least width of a tile, the room between tiles, and what stands under a picture. */
const TILE_WIDTH = 250;
const GAP = 20;
const UNDER_PICTURE = 76;
const FIRST_WIDTH = 880;

/** All assets with their pictures, sorted and searched; the way in for new ones. */
@Component({
  selector: 'est-library-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    BringInPanel,
    ChoiceField,
    MatButtonModule,
    MatInputModule,
    PressPanel,
    ReactiveFormsModule,
    RowMenu,
    ScrollingModule,
  ],
  host: { '(dragover)': 'dragOver($event)', '(drop)': 'drop($event)', '(dragleave)': 'dropping.set(false)' },
  template: `
    <header>
      <img src="mark.svg" alt="" width="22" height="22" />
      <h1>Estampe</h1>
      <span class="spacer"></span>
      <button matButton type="button" aria-haspopup="dialog" (click)="showStorage()">storage</button>
      <est-press-panel />
    </header>
    <main [class.dropping]="dropping()">
      @if (message(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <div class="columns">
        <section class="assets" aria-label="Assets">
          @if (assets().length > 0) {
            <div class="tools">
              <mat-form-field>
                <mat-label>Search</mat-label>
                <input matInput type="search" [formControl]="words" />
              </mat-form-field>
              <est-choice-field label="Sorted by" [control]="order" [options]="orders" />
              <span class="muted" role="status">{{ counted() }}</span>
            </div>
          }
          @if (importing(); as job) {
            <p class="empty">{{ job.title }}: {{ job.stage || 'waiting' }}. It appears here when it is ready.</p>
          }
          @if (assets().length === 0 && ready() && importing() === null) {
            <p class="empty">No assets yet. Drop a light mesh and its sculpt on this page, or either of them to begin with.</p>
          }
          <cdk-virtual-scroll-viewport #list class="list" [itemSize]="rowHeight()" [minBufferPx]="600" [maxBufferPx]="1200">
            <ul
              *cdkVirtualFor="let row of rows(); trackBy: trackRow"
              class="row"
              [style.height.px]="rowHeight()"
              [style.--columns]="columns()"
            >
              @for (asset of row; track asset.id) {
                <li>
                  <a [routerLink]="['/assets', asset.id, asset.stackKind === 'alone' ? 'sculpt' : 'maps']">
                    <img loading="lazy" [src]="pictureOf(asset)" width="300" height="200" [alt]="'The sculpt of ' + asset.name" />
                    <span class="name">{{ asset.name }}</span>
                    <span class="num muted">{{ asset.text }}</span>
                  </a>
                  <est-row-menu class="more" [name]="asset.name" (changed)="change(asset, $event)" />
                </li>
              }
            </ul>
          </cdk-virtual-scroll-viewport>
        </section>
        <aside>
          <est-bring-in-panel [dropped]="dropped()" [jobs]="jobs()" (arrived)="arrived.set($event)" />
        </aside>
      </div>
    </main>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-rows: 44px 1fr;
      height: 100vh;
    }
    header {
      display: flex;
      align-items: center;
      gap: 8px;
      padding: 0 16px;
      border-bottom: 1px solid var(--ink);
      background: var(--paper);
    }
    h1 {
      font: italic 500 24px/32px var(--serif);
    }
    .spacer {
      flex: 1;
    }
    main {
      min-height: 0;
      padding: 20px 24px 0;
    }
    main.dropping {
      outline: 3px solid var(--prussian);
      outline-offset: -8px;
    }
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 340px;
      gap: 32px;
      height: 100%;
    }
    .assets {
      display: flex;
      flex-direction: column;
      min-height: 0;
    }
    .tools {
      display: grid;
      grid-template-columns: 260px 180px 1fr;
      gap: 16px;
      align-items: end;
      margin-bottom: 16px;
    }
    .list {
      flex: 1;
      min-height: 0;
    }
    .row {
      list-style: none;
      padding: 0 8px 0 0;
      margin: 0;
      display: grid;
      grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
      gap: 20px;
      align-content: start;
    }
    li {
      position: relative;
    }
    li a {
      display: grid;
      gap: 4px;
      color: inherit;
      text-decoration: none;
    }
    li img {
      width: 100%;
      height: auto;
      aspect-ratio: 3 / 2;
      object-fit: cover;
      display: block;
      border: 1px solid var(--graphite);
    }
    li a:hover img {
      border-color: var(--prussian);
    }
    .more {
      position: absolute;
      right: 0;
      bottom: 16px;
    }
    .name {
      font: 500 17px/22px var(--serif);
    }
    .empty {
      font-size: 15px;
      color: var(--graphite);
    }
    aside {
      overflow: auto;
      border-left: 1px solid var(--rule);
      padding-left: 24px;
    }
  `,
})
export class LibraryPage {
  protected readonly pictureOf = ({ pictureHash: hash }: AssetSummary): string => addressOf(ROUTES.picture, { hash });
  private readonly store = inject(Store);
  private readonly stopped = inject(DestroyRef);
  private readonly dialogs = inject(MatDialog);
  private readonly router = inject(Router);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly assets = this.store.selectSignal(assetsFeature.selectAll);
  protected readonly ready = this.store.selectSignal(assetsFeature.selectListReady);
  protected readonly message = this.store.selectSignal(assetsFeature.selectMessage);
  private readonly active = this.store.selectSignal(pressFeature.selectActive);
  protected readonly importing = computed(() => this.active().find((j) => j.kind === 'import') ?? null);
  /** What was just brought in; the list has it a moment later. */
  protected readonly arrived = signal<string | null>(null);
  protected readonly dropping = signal(false);
  protected readonly dropped = signal<readonly FileAt[]>([]);
  protected readonly words = new FormControl('', { nonNullable: true });
  private readonly searched = toSignal(this.words.valueChanges, { initialValue: '' });
  protected readonly order = new FormControl<Order>(remembered(ORDER_KEY, orderSchema, 'newest'), { nonNullable: true });
  private readonly ordered = toSignal(this.order.valueChanges, { initialValue: this.order.value });
  protected readonly orders = choicesOf(ORDERS);
  private readonly found = computed(() => found(this.assets(), this.searched(), this.ordered()));
  protected readonly counted = computed(() =>
    this.found().length === this.assets().length
      ? `${this.assets().length} ${this.assets().length === 1 ? 'asset' : 'assets'}`
      : `${this.found().length} of ${this.assets().length}`,
  );
  private readonly list = viewChild.required<CdkVirtualScrollViewport, ElementRef<HTMLElement>>('list', { read: ElementRef });
  private readonly width = signal(FIRST_WIDTH);
  protected readonly columns = computed(() => Math.max(1, Math.floor((this.width() + GAP) / (TILE_WIDTH + GAP))));
  protected readonly rowHeight = computed(() => {
    const tile = (this.width() - 8 - GAP * (this.columns() - 1)) / this.columns();
    return Math.ceil((2 / 3) * tile + UNDER_PICTURE);
  });
  protected readonly rows = computed(() => {
    const tiles = this.found().map((asset) => ({
      ...asset,
      text: `${asset.production}: ${count(asset.topFaces)} faces, ${sizeOf(asset)}`,
    }));
    const n = this.columns();
    return Array.from({ length: Math.ceil(tiles.length / n) }, (_, row) => tiles.slice(row * n, (row + 1) * n));
  });

  constructor() {
    this.store.dispatch(Actions.opened());
    // opened at its maps, or where its other mesh is asked for
    effect(() => {
      const asset = this.assets().find(({ id }) => id === this.arrived());
      if (asset !== undefined) void this.router.navigate(['/assets', asset.id, asset.stackKind === 'alone' ? 'sculpt' : 'maps']);
    });
    this.order.valueChanges.pipe(takeUntilDestroyed()).subscribe((order) => remember(ORDER_KEY, order));
    afterNextRender(() => {
      const observer = new ResizeObserver(([{ contentRect }]) => this.width.set(contentRect.width));
      observer.observe(this.list().nativeElement);
      this.stopped.onDestroy(() => observer.disconnect());
    });
  }

  protected trackRow(_: number, row: readonly AssetSummary[]): string {
    return row.map(({ id }) => id).join();
  }
  protected change({ id, name }: AssetSummary, change: ChangeRow): void {
    this.store.dispatch(RowActions.changeWanted({ target: 'asset', id, name, change, undoes: false }));
  }

  protected showStorage(): void {
    this.dialogs.open(StorageDialog);
  }

  protected dragOver(event: DragEvent): void {
    event.preventDefault();
    this.dropping.set(true);
  }
  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.dropping.set(false);
    void droppedFiles(event.dataTransfer).then((files) => this.dropped.set(files));
  }
}

const sizeOf = ({ parts, levels, stackKind }: AssetSummary): string =>
  parts.length > 1 ? `${parts.length} parts` : { free: 'free sculpt', alone: 'one mesh', stack: `${levels} levels` }[stackKind];
