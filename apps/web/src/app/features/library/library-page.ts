import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { AssetSummary } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { addressOf, ROUTES } from '@estampe/contracts';
import { count } from '../../shared/format';
import { PressPanel } from '../../shared/press-panel';
import { assetsFeature, LibraryPage as Actions } from '../../state/assets.state';
import { pressFeature } from '../../state/press.state';
import { BringInPanel } from '../../shared/bring-in-panel';

/** All assets with their pictures, by production; the way in for new ones. */
@Component({
  selector: 'est-library-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, PressPanel, BringInPanel],
  host: { '(dragover)': 'dragOver($event)', '(drop)': 'drop($event)', '(dragleave)': 'dropping.set(false)' },
  template: `
    <header>
      <img src="mark.svg" alt="" width="22" height="22" />
      <h1>Estampe</h1>
      <span class="spacer"></span>
      <est-press-panel />
    </header>
    <main [class.dropping]="dropping()">
      @if (message(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <div class="columns">
        <section class="assets" aria-label="Assets">
          @for (group of groups(); track group.production) {
            <h2>{{ group.production }}</h2>
            <ul>
              @for (asset of group.assets; track asset.id) {
                <li>
                  <a [routerLink]="['/assets', asset.id, 'maps']">
                    <img [src]="pictureOf(asset)" width="300" height="200" [alt]="'The sculpt of ' + asset.name" />
                    <span class="name">{{ asset.name }}</span>
                    <span class="num muted">{{ asset.text }}</span>
                  </a>
                </li>
              }
            </ul>
          } @empty {
            @if (importing(); as job) {
              <p class="empty">{{ job.title }}: {{ job.stage || 'waiting' }}. It appears here when it is ready.</p>
            } @else if (ready()) {
              <p class="empty">No assets yet. Drop a light mesh and its sculpt on this page.</p>
            }
          }
          @if (groups().length > 0 && importing(); as job) {
            <p class="empty">{{ job.title }}: {{ job.stage || 'waiting' }}…</p>
          }
        </section>
        <aside>
          <est-bring-in-panel [dropped]="dropped()" />
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
      overflow: auto;
      padding: 24px;
    }
    main.dropping {
      outline: 3px solid var(--prussian);
      outline-offset: -8px;
    }
    .columns {
      display: grid;
      grid-template-columns: 1fr 340px;
      gap: 32px;
      max-width: 1320px;
    }
    h2 {
      font-size: 20px;
      line-height: 28px;
      margin-bottom: 12px;
    }
    ul {
      list-style: none;
      padding: 0;
      margin: 0 0 28px;
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
      gap: 20px;
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
      display: block;
      border: 1px solid var(--graphite);
    }
    li a:hover img {
      border-color: var(--prussian);
    }
    .name {
      font: 500 17px/22px var(--serif);
    }
    .empty {
      font-size: 15px;
      color: var(--graphite);
    }
    aside {
      border-left: 1px solid var(--rule);
      padding-left: 24px;
    }
  `,
})
export class LibraryPage {
  protected readonly pictureOf = ({ pictureHash: hash }: AssetSummary): string => addressOf(ROUTES.picture, { hash });
  private readonly store = inject(Store);
  private readonly list = this.store.selectSignal(assetsFeature.selectList);
  protected readonly ready = this.store.selectSignal(assetsFeature.selectListReady);
  protected readonly message = this.store.selectSignal(assetsFeature.selectMessage);
  private readonly active = this.store.selectSignal(pressFeature.selectActive);
  protected readonly importing = computed(() => this.active().find((j) => j.kind === 'import') ?? null);
  protected readonly dropping = signal(false);
  protected readonly dropped = signal<readonly File[]>([]);
  protected readonly groups = computed(() =>
    [...new Set(this.list().map((a) => a.production))].map((production) => ({
      production,
      assets: this.list()
        .filter((a) => a.production === production)
        .map((a) => ({
          ...a,
          text: `${count(a.lowFaces)} to ${count(a.topFaces)} faces, ${sizeOf(a)}`,
        })),
    })),
  );

  constructor() {
    this.store.dispatch(Actions.opened());
  }

  protected dragOver(event: DragEvent): void {
    event.preventDefault();
    this.dropping.set(true);
  }
  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.dropping.set(false);
    const files = [...(event.dataTransfer?.files ?? [])];
    if (files.length > 0) this.dropped.set(files);
  }
}

const sizeOf = ({ parts, levels, stackKind }: AssetSummary): string =>
  parts.length > 1 ? `${parts.length} parts` : stackKind === 'free' ? 'free sculpt' : `${levels} levels`;
