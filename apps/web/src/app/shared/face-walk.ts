import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';

/** Lights faces on the Stage: all of them, or one after another. */
@Component({
  selector: 'est-face-walk',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatIconModule, MatTooltipModule],
  template: `
    <button matButton="outlined" type="button" [attr.aria-pressed]="lit() && index() === null" (click)="all()">
      light {{ faces().length }}
    </button>
    <button matIconButton type="button" matTooltip="previous" [attr.aria-label]="'Previous face of ' + name()" (click)="step(-1)">
      <mat-icon svgIcon="previous" />
    </button>
    <button matIconButton type="button" matTooltip="next" [attr.aria-label]="'Next face of ' + name()" (click)="step(1)">
      <mat-icon svgIcon="next" />
    </button>
    <span class="num" role="status">{{ place() }}</span>
  `,
  styles: `
    :host {
      display: flex;
      align-items: center;
      gap: 4px;
      margin-top: 6px;
    }
    .num {
      margin-left: 6px;
    }
  `,
})
export class FaceWalk {
  readonly faces = input.required<readonly number[]>();
  /** Of what they are the faces. */
  readonly name = input.required<string>();
  /** Whether it is these that are lit now. */
  readonly lit = input(false);
  readonly walked = output<readonly number[]>();
  /** Which of them was lit last; null for all. */
  protected readonly index = signal<number | null>(null);
  protected readonly place = computed(() => {
    const index = this.index();
    return !this.lit() || index === null ? '' : `${index + 1} of ${this.faces().length}: face ${this.faces()[index]}`;
  });

  protected all(): void {
    this.index.set(null);
    this.walked.emit(this.faces());
  }
  protected step(by: number): void {
    const n = this.faces().length;
    const now = this.lit() ? this.index() : null;
    const next = now === null ? (by > 0 ? 0 : n - 1) : (now + by + n) % n;
    this.index.set(next);
    this.walked.emit([this.faces()[next]]);
  }
}
