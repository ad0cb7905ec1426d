import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { count, significant } from '../shared/format';
import type { Marks } from '../workers/field-messages';
import { MARK_CSS } from './marks-texture';
import type { View } from './stage-view';

/** What the colours and lines on the Stage mean. */
@Component({
  selector: 'est-stage-legend',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (view() === 'error') {
      <div class="scale num" [class.size]="unsigned()" aria-hidden="true">
        <span>{{ unsigned() ? range() : '+' + range() }}</span><i></i><span>{{ unsigned() ? '0' : '-' + range() }}</span>
      </div>
    } @else if (view() === 'marks') {
      @if (marks()) {
        <div class="legend" role="status" aria-label="Texels of note on the surface">
          @for (m of counts(); track m.name) {
            <i [style.background]="m.colour"></i><span>{{ m.name }}</span
            ><span class="num">{{ m.texels }}</span>
          }
        </div>
      }
    } @else if (spacing() > 0) {
      <div class="legend" aria-label="Level lines">
        <i class="line" [style.border-color]="'#0f334d'"></i><span>{{ view() }}</span
        ><span></span>
        @if (view() !== 'sculpt') {
          <i class="line" [style.border-color]="'#a83a2a'"></i><span>sculpt</span><span></span>
        }
        <i class="line" [style.border-color]="'transparent'"></i><span>every</span><span class="num">{{ spacingText() }}</span>
      </div>
    }
  `,
  styles: `
    :host {
      position: absolute;
      right: 16px;
      top: 40px;
      pointer-events: none;
    }
    .scale {
      display: grid;
      justify-items: end;
      gap: 4px;
      padding: 2px 8px;
      background: var(--leaf);
    }
    .scale i {
      width: 12px;
      height: 132px;
      border: 1px solid var(--ink);
      background: linear-gradient(#a83a2a, #fbf8f2, #1f4e6b);
    }
    .scale.size i {
      background: linear-gradient(#23211d, #fbf8f2);
    }
    .legend {
      display: grid;
      grid-template-columns: 14px auto auto;
      gap: 2px 8px;
      align-items: center;
      padding: 4px 8px;
      background: var(--leaf);
    }
    .legend i {
      width: 12px;
      height: 12px;
      border: 1px solid var(--ink);
    }
    .legend i.line {
      height: 0;
      border: 0;
      border-top: 3px solid;
    }
    .legend .num {
      text-align: right;
    }
  `,
})
export class StageLegend {
  readonly view = input.required<View>();
  /** Whether error is shown by its size alone. */
  readonly unsigned = input(false);
  /** Whether the error is a distance; an angle otherwise. */
  readonly signed = input(true);
  readonly errorRange = input(1);
  readonly unit = input('');
  /** Scene units between level lines; 0 for none. */
  readonly spacing = input(0);
  readonly marks = input<Pick<Marks, 'missed' | 'doubtful' | 'clipped' | 'mended'> | null>(null);

  protected readonly range = computed(() => `${significant(this.errorRange(), 2)}${this.signed() ? ` ${this.unit()}` : '\u00b0'}`);
  protected readonly spacingText = computed(() => `${significant(this.spacing(), 3)} ${this.unit()}`);
  protected readonly counts = computed(() => {
    const m = this.marks();
    return m === null
      ? []
      : (['missed', 'doubtful', 'clipped', 'mended'] as const)
          .filter((name) => name !== 'mended' || m.mended > 0)
          .map((name) => ({ name, texels: count(m[name]), colour: MARK_CSS[name] }));
  });
}
