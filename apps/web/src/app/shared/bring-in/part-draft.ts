import type { CdkDragDrop } from '@angular/cdk/drag-drop';
import { DragDropModule } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatInputModule } from '@angular/material/input';
import { MatMenuModule } from '@angular/material/menu';
import type { Brought, DraftPart } from './draft-parts';
import { wordsOf } from './draft-parts';

/** A proposed part: its name, its files with what they are, and ways to put a file elsewhere. */
@Component({
  selector: 'est-part-draft',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DragDropModule, MatButtonModule, MatIconModule, MatInputModule, MatMenuModule],
  template: `
    @if (named()) {
      <mat-form-field class="wide">
        <mat-label>Part</mat-label>
        <input matInput maxlength="80" [value]="part().name" (change)="rename($event)" />
      </mat-form-field>
    }
    <ul cdkDropList [cdkDropListData]="part().id" (cdkDropListDropped)="dropped($event)">
      @for (file of words().files; track file.path) {
        <li cdkDrag [cdkDragData]="file.path" [cdkDragDisabled]="others().length === 0">
          <span class="name" [title]="file.path">{{ file.name }}</span>
          <span class="facts"
            ><span class="muted">{{ file.role }}</span> <span class="num">{{ file.facts }}</span></span
          >
          <button matIconButton type="button" [attr.aria-label]="'Move ' + file.name" [matMenuTriggerFor]="menu">
            <mat-icon svgIcon="more" />
          </button>
          <mat-menu #menu="matMenu">
            @for (other of others(); track other.id) {
              <button mat-menu-item type="button" (click)="moved.emit({ path: file.path, to: other.id })">To {{ other.name }}</button>
            }
            @if (sortable() && words().files.length > 1) {
              <button mat-menu-item type="button" (click)="moved.emit({ path: file.path, to: -1 })">To a part of its own</button>
            }
            <button mat-menu-item type="button" (click)="moved.emit({ path: file.path, to: null })">Leave it out</button>
          </mat-menu>
        </li>
      }
    </ul>
    @if (sortable() && words().kind !== '') {
      <p [class]="words().usable ? 'muted' : 'note warn'">{{ words().kind }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
      padding: 8px 0;
      border-bottom: 1px solid var(--rule);
    }
    ul {
      list-style: none;
      padding: 0;
      margin: 0;
    }
    li {
      display: grid;
      grid-template: 'name more' 'facts more' / minmax(0, 1fr) auto;
      align-items: center;
      padding: 2px 0;
    }
    li button {
      grid-area: more;
    }
    .cdk-drag-preview {
      padding: 2px 8px;
      background: var(--leaf);
      outline: 1px solid var(--prussian);
    }
    mat-form-field {
      width: 100%;
    }
    .facts {
      display: flex;
      gap: 8px;
      font-size: 12px;
    }
    .name {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    p {
      margin: 4px 0 0;
    }
  `,
})
export class PartDraft {
  readonly part = input.required<DraftPart>();
  readonly files = input.required<ReadonlyMap<string, Brought>>();
  readonly others = input<readonly DraftPart[]>([]);
  /** Whether its name is asked; one part alone has the asset's. */
  readonly named = input(true);
  /** Whether files may stand elsewhere than here. */
  readonly sortable = input(true);
  readonly renamed = output<string>();
  /** A file and the number of the part that it goes to; -1 for one of its own, null for none. */
  readonly moved = output<{ readonly path: string; readonly to: number | null }>();
  protected readonly words = computed(() => wordsOf(this.part(), this.files()));

  protected rename(event: Event): void {
    this.renamed.emit((event.target as HTMLInputElement).value);
  }
  protected dropped({ item, container, previousContainer }: CdkDragDrop<number, number, string>): void {
    if (container !== previousContainer) this.moved.emit({ path: item.data, to: container.data });
  }
}
