import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { MendRequest } from '@estampe/contracts';
import { mendSchema } from '@estampe/contracts';
import type { MendName } from '@estampe/core';
import { CRUMB_SHARE, MENDS } from '@estampe/core';
import { count } from '../../shared/format';
import { NumberField } from '../../shared/forms/number-field';
import { MendPreview } from '../../shared/mend-preview';
import { MeshStore } from '../../shared/mesh-store';

const WORDS: Readonly<Record<MendName, string>> = {
  weld: 'Weld',
  'drop-pieces': 'Leave out crumbs',
  'turn-flipped': 'Turn round',
  'shift-islands': 'Shift into tiles',
  'refine-once': 'Refine once',
};

/** A mend, and what it would do before it is done. */
@Component({
  selector: 'est-mend-offer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, NumberField],
  template: `
    @if (!open()) {
      <button matButton="outlined" type="button" (click)="open.set(true)">{{ words() }} ...</button>
    } @else {
      @switch (kind().amount) {
        @case ('distance') {
          <est-number-field label="Within" [unit]="unit()" empty="as found" [control]="amount" />
        }
        @case ('share') {
          <est-number-field label="Pieces below" unit="% of the largest" [empty]="usualShare" [control]="amount" />
        }
      }
      <p role="status">{{ outcome() ?? 'Trying ...' }}</p>
      <p class="actions">
        <button matButton="filled" type="button" [disabled]="!useful()" (click)="mend()">{{ words() }}</button>
        <button matButton type="button" (click)="open.set(false)">Leave it</button>
      </p>
    }
  `,
  styles: `
    p {
      margin: 4px 0;
    }
  `,
})
export class MendOffer {
  readonly name = input.required<MendName>();
  readonly meshId = input.required<string>();
  readonly unit = input.required<string>();
  readonly mended = output<MendRequest>();
  private readonly meshes = inject(MeshStore);
  private readonly preview = inject(MendPreview);
  protected readonly usualShare = String(100 * CRUMB_SHARE);
  protected readonly open = signal(false);
  protected readonly kind = computed(() => MENDS[this.name()]);
  protected readonly words = computed(() => WORDS[this.name()]);
  protected readonly amount = new FormControl<number | null>(null);
  private readonly typed = toSignal(this.amount.valueChanges, { initialValue: null });
  private readonly request = computed(() => {
    const typed = this.typed();
    const amount = typed === null ? null : this.kind().amount === 'share' ? typed / 100 : typed;
    const parsed = mendSchema.safeParse({ mend: this.name(), amount });
    return parsed.success ? parsed.data : parsed.error.issues[0].message;
  });
  protected readonly outcome = signal<string | null>(null);
  protected readonly useful = signal(false);

  constructor() {
    effect((onCleanup) => {
      const request = this.request();
      if (!this.open()) return;
      this.useful.set(false);
      if (typeof request === 'string') {
        this.outcome.set(`That amount cannot be: ${request}.`);
        return;
      }
      this.outcome.set(null);
      let late = false;
      onCleanup(() => {
        late = true;
        this.preview.shown.set(null);
      });
      this.meshes.tryMend(this.meshId(), request).then(
        ({ count: n, points, faces, drawn }) => {
          if (late) return;
          this.useful.set(n > 0);
          if (n > 0) this.preview.shown.set({ meshId: this.meshId(), mesh: drawn });
          this.outcome.set(
            n === 0
              ? 'That would change nothing.'
              : `${this.kind().says(n)}; ${change('point', points)}, ${change('face', faces)}: shown on the Stage. Undo brings it back.`,
          );
        },
        (error: unknown) => {
          if (!late) this.outcome.set(error instanceof Error ? error.message : String(error));
        },
      );
    });
  }

  protected mend(): void {
    const request = this.request();
    if (typeof request !== 'string') this.mended.emit(request);
    this.open.set(false);
  }
}

const change = (noun: string, [before, after]: readonly [number, number]): string =>
  before === after ? `all ${count(before)} ${noun}s stay` : `${count(before)} ${noun}s become ${count(after)}`;
