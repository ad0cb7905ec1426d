import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import type { SafeResourceUrl } from '@angular/platform-browser';
import { DomSanitizer } from '@angular/platform-browser';
import { MatButtonModule } from '@angular/material/button';
import type { DeliveryInfo } from '@estampe/contracts';
import { firstValueFrom } from 'rxjs';
import { addressOf, ROUTES } from '@estampe/contracts';
import { Api, sentenceOf } from '../../api/api';
import type { FigureRow } from '../../shared/figures';
import { Figures } from '../../shared/figures';
import { manifestDifferences } from './manifest-difference';

/** A delivery's set-up sheet as lighting will see it, or what changed between two versions. */
@Component({
  selector: 'est-delivery-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Figures, MatButtonModule],
  template: `
    @if (shown(); as d) {
      @if (compared(); as c) {
        <div class="paper">
          <h2>{{ older().name }} and {{ newer().name }}</h2>
          @if (differences(); as rows) {
            @if (rows.length > 0) {
              <est-figures copyable [head]="['what differs', older().name, newer().name]" [rows]="rows" />
            } @else {
              <p>Nothing but the version and the date: every number and every file is the same.</p>
            }
          } @else {
            <p role="status">{{ message() ?? 'Reading both manifests…' }}</p>
          }
        </div>
      } @else {
        <div class="bar">
          <strong>{{ d.name }}</strong>
          <a matButton="outlined" [href]="sheetOf(d)" target="_blank" rel="noopener">open to print</a>
          <a matButton="outlined" [href]="zipOf(d)" [attr.download]="d.name + '.zip'">save the zip</a>
        </div>
        <iframe [src]="sheet()" [title]="'Set-up sheet of ' + d.name" sandbox="allow-same-origin"></iframe>
      }
    } @else {
      <div class="empty">
        <p>No version is open. Choose the proven maps at the right and make the first; its set-up sheet shows here.</p>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-rows: auto minmax(0, 1fr);
      height: 100%;
      background: var(--paper);
    }
    .bar {
      display: flex;
      align-items: center;
      gap: 10px;
      padding: 8px 16px;
      border-bottom: 1px solid var(--rule);
    }
    .bar strong {
      flex: 1;
      font: 500 15px var(--serif);
    }
    iframe {
      width: 100%;
      height: 100%;
      border: 0;
      background: #fbf8f2;
    }
    .paper {
      grid-row: 1 / -1;
      overflow: auto;
      padding: 16px 24px;
      background: var(--leaf);
    }
    .paper h2 {
      font-size: 18px;
      margin-bottom: 10px;
    }
    .empty {
      grid-row: 1 / -1;
      align-self: center;
      text-align: center;
      padding: 0 20%;
      color: var(--graphite);
      font-size: 15px;
      line-height: 22px;
    }
  `,
})
export class DeliveryPane {
  protected readonly sheetOf = ({ id }: DeliveryInfo): string => addressOf(ROUTES.setUpSheet, { id });
  protected readonly zipOf = ({ id }: DeliveryInfo): string => addressOf(ROUTES.zip, { id });
  readonly shown = input<DeliveryInfo | null>(null);
  readonly compared = input<DeliveryInfo | null>(null);
  private readonly api = inject(Api);
  private readonly sanitizer = inject(DomSanitizer);
  protected readonly differences = signal<readonly FigureRow[] | null>(null);
  protected readonly message = signal<string | null>(null);
  protected readonly sheet = computed<SafeResourceUrl>(() => {
    const id = this.shown()?.id ?? '';
    // an id that the contract has checked, on our own server
    return this.sanitizer.bypassSecurityTrustResourceUrl(addressOf(ROUTES.setUpSheet, { id }));
  });
  private readonly pair = computed(() => {
    const both = [this.shown(), this.compared()].filter((d) => d !== null);
    return both.sort((a, b) => a.version - b.version);
  });
  protected readonly older = computed(() => this.pair()[0]);
  protected readonly newer = computed(() => this.pair()[1]);

  constructor() {
    let request = 0;
    effect(() => {
      const pair = this.pair();
      const mine = ++request;
      this.differences.set(null);
      this.message.set(null);
      if (pair.length < 2) return;
      Promise.all(pair.map((d) => firstValueFrom(this.api.manifest(d.id)))).then(
        ([before, after]) => {
          if (mine === request)
            this.differences.set(
              manifestDifferences(before, after).map(({ what, before: b, after: a }) => ({ name: what, cells: [b, a] })),
            );
        },
        (error: unknown) => this.message.set(sentenceOf(error)),
      );
    });
  }
}
