import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { AssetDetail } from '@estampe/contracts';
import { count, significant } from '../../shared/format';

const WORDS: Readonly<Record<string, string>> = { error: 'must be mended', warning: 'look at it', note: 'good to know' };

/** What was brought in, and what the check found on the light mesh. */
@Component({
  selector: 'est-sculpt-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>{{ asset().name }}</h2>
    <p class="muted">{{ kind() }}</p>
    <table class="figures">
      <thead>
        <tr>
          <th>level</th>
          <th>points</th>
          <th>faces</th>
          <th>adds ({{ asset().unit }})</th>
        </tr>
      </thead>
      <tbody>
        @for (l of levels(); track l.level) {
          <tr>
            <th>{{ l.level }}</th>
            <td>{{ l.points }}</td>
            <td>{{ l.faces }}</td>
            <td>{{ l.detail }}</td>
          </tr>
        }
      </tbody>
    </table>
    <div class="field-row">
      <span>Diagonal</span><span class="num">{{ diagonal() }}</span>
    </div>
    <div class="field-row">
      <span>UV tiles</span><span class="num">{{ asset().tiles.join(' ') }}</span>
    </div>
    <h3>Findings on the light mesh</h3>
    @for (f of asset().findings; track f.code) {
      <p class="note" [class.warn]="f.severity === 'warning'" [class.bad]="f.severity === 'error'">
        <strong>{{ words(f.severity) }}</strong> <span class="num muted">{{ f.code }}</span><br />{{ f.message }}
      </p>
    } @empty {
      <p class="note">Nothing to mend: UVs in their tiles without overlap, no holes, no doubled edges, no empty faces.</p>
    }
  `,
  styles: `
    h2 {
      font-size: 18px;
      line-height: 26px;
    }
    h3 {
      font-size: 15px;
      margin: 18px 0 0;
    }
    p {
      margin: 4px 0 12px;
    }
  `,
})
export class SculptCard {
  readonly asset = input.required<AssetDetail>();
  protected readonly kind = computed(() =>
    this.asset().stackKind === 'stack'
      ? `A stack of ${this.asset().levelList.length} levels, matched by point order.`
      : 'A light mesh and a free sculpt with its own topology.',
  );
  protected readonly levels = computed(() =>
    [...this.asset().levelList].reverse().map((l) => ({
      level: l.level,
      points: count(l.points),
      faces: count(l.faces),
      detail: l.detail === null ? '–' : significant(l.detail, 3),
    })),
  );
  protected readonly diagonal = computed(() => `${significant(this.asset().diagonal, 5)} ${this.asset().unit}`);
  protected words(severity: string): string {
    return WORDS[severity];
  }
}
