import { booleanAttribute, ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { LiveAnnouncer } from '@angular/cdk/a11y';
import { Clipboard } from '@angular/cdk/clipboard';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTableModule } from '@angular/material/table';
import { MatTooltipModule } from '@angular/material/tooltip';

interface Cell {
  readonly text: string;
  readonly bad?: boolean;
  /** A file to save, and its name. */
  readonly href?: string;
  readonly download?: string;
}
export interface FigureRow {
  readonly name: string;
  /** Given where the row can be taken by pressing its name. */
  readonly id?: string;
  readonly cells: readonly (string | Cell)[];
  /** The one that holds. */
  readonly now?: boolean;
}

/** Figures in rows: a name, then numbers at the right. */
@Component({
  selector: 'est-figures',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatIconModule, MatTableModule, MatTooltipModule],
  template: `
    <table mat-table [dataSource]="rows()" [attr.aria-label]="label()">
      <ng-container matColumnDef="name">
        <th mat-header-cell *matHeaderCellDef>{{ head()[0] }}</th>
        <td mat-cell *matCellDef="let row" [attr.role]="'rowheader'">
          @if (row.id !== undefined) {
            <button matButton type="button" [attr.aria-pressed]="row.now === true" (click)="picked.emit(row.id)">{{ row.name }}</button>
          } @else {
            {{ row.name }}
          }
        </td>
      </ng-container>
      @for (column of columns(); track column; let k = $index) {
        <ng-container [matColumnDef]="column">
          <th mat-header-cell *matHeaderCellDef [class.now]="k === nowColumn()">{{ head()[k + 1] }}</th>
          <td mat-cell *matCellDef="let row" [class.bad]="cellOf(row, k).bad">
            @if (cellOf(row, k).href; as href) {
              <a [href]="href" [download]="cellOf(row, k).download" [title]="cellOf(row, k).download">{{ cellOf(row, k).text }}</a>
            } @else {
              {{ cellOf(row, k).text }}
            }
          </td>
        </ng-container>
      }
      @if (head().length > 0) {
        <tr mat-header-row *matHeaderRowDef="all()"></tr>
      }
      <tr mat-row *matRowDef="let row; columns: all()" [class.now]="row.now"></tr>
    </table>
    @if (copyable()) {
      <button matIconButton class="copy" type="button" aria-label="Copy these figures" [matTooltip]="said()" (click)="copy()">
        <mat-icon svgIcon="copy" />
      </button>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    .copy {
      display: block;
      margin-left: auto;
    }
    table {
      width: 100%;
    }
    th,
    td {
      padding: 0 0 0 var(--est-figures-gap, 6px);
      text-align: right;
    }
    th:first-child,
    td:first-child {
      padding-left: 0;
      text-align: left;
    }
    td {
      white-space: nowrap;
    }
    td:first-child {
      font: 13px/18px var(--sans);
      white-space: var(--est-figures-names, nowrap);
    }
    th.now,
    .now td {
      color: var(--prussian);
    }
    th.now,
    .now td:first-child {
      font-weight: 600;
    }
    td.bad {
      color: var(--madder);
    }
    button {
      --mat-button-text-horizontal-padding: 0;
      --mat-button-text-container-height: auto;
      min-width: 0;
      min-height: 26px;
      white-space: inherit;
      text-align: left;
      text-decoration: underline dotted;
      text-underline-offset: 3px;
    }
  `,
})
export class Figures {
  /** One word a column; empty where the rows speak for themselves. */
  readonly head = input<readonly string[]>([]);
  readonly rows = input.required<readonly FigureRow[]>();
  readonly label = input<string | null>(null);
  /** Column of numbers that holds, from 0; -1 for none. */
  readonly nowColumn = input(-1);
  readonly picked = output<string>();
  /** Whether a button puts the table into the clipboard. */
  readonly copyable = input(false, { transform: booleanAttribute });
  private readonly clipboard = inject(Clipboard);
  private readonly announcer = inject(LiveAnnouncer);
  /** Until there are other figures. */
  private readonly copied = linkedSignal({ source: this.rows, computation: () => false });
  protected readonly said = computed(() => (this.copied() ? 'copied' : 'copy these figures as text'));
  protected readonly columns = computed(() =>
    Array.from({ length: Math.max(this.head().length - 1, ...this.rows().map((r) => r.cells.length), 0) }, (_, k) => `c${k}`),
  );
  protected readonly all = computed(() => ['name', ...this.columns()]);

  /** As text that a spreadsheet takes: a line a row, tabs between. */
  protected copy(): void {
    const lines = this.rows().map((row) => [row.name, ...row.cells.map((_, k) => this.cellOf(row, k).text)]);
    const done = this.clipboard.copy(
      [...(this.head().length > 0 ? [this.head()] : []), ...lines].map((line) => line.join('\t')).join('\n'),
    );
    this.copied.set(done);
    void this.announcer.announce(done ? 'Figures copied' : 'The browser did not let the figures be copied');
  }
  protected cellOf(row: FigureRow, k: number): Cell {
    const cell = row.cells.at(k) ?? '';
    return typeof cell === 'string' ? { text: cell } : cell;
  }
}
