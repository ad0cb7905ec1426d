import type { OnDestroy } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSelectModule } from '@angular/material/select';
import { MatSliderModule } from '@angular/material/slider';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { AssetDetail, StrokeRequest } from '@estampe/contracts';
import { strokeSchema } from '@estampe/contracts';
import { BRUSH_TOOLS, needsSculpt } from '@estampe/core';
import { percent } from '../../shared/format';
import { NumberField } from '../../shared/forms/number-field';
import { follow, formOf } from '../../shared/forms/zod-form';
import { LevelBrushing } from '../../shared/level-brushing';
import { openPart } from '../../state/low-states';

/** What each does, and what it is called: pushing has two ways. */
const TOOLS = {
  smooth: { label: 'smooth', says: 'to the middle of their neighbours' },
  out: { label: 'out', says: 'outwards, along the normals' },
  in: { label: 'in', says: 'inwards, along the normals' },
  drag: { label: 'drag', says: 'to the nearest place of the sculpt' },
  project: { label: 'project', says: 'along the normals onto the sculpt, as far as the radius' },
} as const;
type Tool = keyof typeof TOOLS;

/** The brush over the finest level: what it does, how large, and what becomes of its strokes. */
@Component({
  selector: 'est-level-brush',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatButtonToggleModule, MatSelectModule, MatSliderModule, MatTooltipModule, NumberField],
  template: `
    <p class="muted">Drag over the Stage: points of the finest level under the brush go …</p>
    <mat-button-toggle-group aria-label="What the brush does" [value]="tool()" (change)="choose($event.value)">
      @for (t of tools(); track t.id) {
        <mat-button-toggle [value]="t.id" [matTooltip]="t.says">{{ t.label }}</mat-button-toggle>
      }
    </mat-button-toggle-group>
    <div class="fields">
      <est-number-field label="Radius" [unit]="asset().unit" [control]="form.controls.radius" />
      <label class="strength">
        <span
          >Strength <span class="num">{{ share() }}</span></span
        >
        <mat-slider min="0.05" max="1" step="0.05"
          ><input matSliderThumb [value]="brushing.settings().strength" (valueChange)="change({ strength: $event })"
        /></mat-slider>
      </label>
    </div>
    @if (groups().length > 0) {
      <div class="group">
        <mat-form-field>
          <mat-label>Group</mat-label>
          <mat-select [value]="group()" (valueChange)="group.set($event)" placeholder="under the brush only">
            @for (name of groups(); track name) {
              <mat-option [value]="name">{{ name }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <button matButton="outlined" type="button" [disabled]="group() === null || brushing.busy()" (click)="toGroup()">
          Do it to all of it
        </button>
      </div>
    }
    <p role="status">
      @if (brushing.level() === null) {
        {{ brushing.busy() ? 'Taking the level up…' : '' }}
      } @else {
        <span class="num">{{ brushing.strokes().length }}</span> {{ brushing.strokes().length === 1 ? 'stroke' : 'strokes'
        }}{{ brushing.busy() ? ', working…' : ', not kept yet' }}
      }
    </p>
    @if (brushing.message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    <div class="line">
      <button matButton="outlined" type="button" [disabled]="!some() || brushing.busy()" (click)="brushing.undo()">Take back</button>
      <button matButton="outlined" type="button" [disabled]="!some()" (click)="again()">Leave them</button>
      <button matButton="filled" type="button" [disabled]="!some() || brushing.busy()" (click)="keep()">Keep them</button>
    </div>
  `,
  styles: `
    p {
      margin: 4px 0 8px;
    }
    .fields {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 4px 12px;
      margin-top: 8px;
    }
    .strength {
      display: grid;
      align-content: start;
      font-size: 12px;
    }
    .group {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 8px;
      align-items: center;
    }
    .line {
      display: flex;
      gap: 6px;
    }
    mat-button-toggle-group {
      --mat-button-toggle-label-text-size: 12px;
    }
    mat-slider {
      min-width: 0;
      width: 100%;
      margin: 0;
    }
  `,
})
export class LevelBrush implements OnDestroy {
  readonly asset = input.required<AssetDetail>();
  readonly kept = output<readonly StrokeRequest[]>();
  protected readonly brushing = inject(LevelBrushing);
  protected readonly group = signal<string | null>(null);
  protected readonly groups = computed(() => this.brushing.level()?.groups ?? []);
  protected readonly some = computed(() => this.brushing.strokes().length > 0);
  protected readonly share = computed(() => percent(this.brushing.settings().strength));
  protected readonly tool = computed((): Tool => {
    const { tool, inwards } = this.brushing.settings();
    return tool === 'push' ? (inwards ? 'in' : 'out') : tool;
  });
  protected readonly tools = computed(() =>
    (Object.keys(TOOLS) as Tool[])
      .map((id) => ({ id, ...TOOLS[id] }))
      .filter(({ id }) => this.asset().sculptHash !== null || !BRUSH_TOOLS.some((tool) => tool === id && needsSculpt(tool))),
  );
  private readonly radius = computed(() => ({ radius: this.brushing.settings().radius }));
  protected readonly form = formOf<{ radius: number }>({ shape: { radius: strokeSchema.shape.radius } }, { radius: 1 });
  private readonly top = computed(() => this.asset().levelList[this.asset().levelList.length - 1].meshId);

  constructor() {
    follow(this.form, this.radius, (change) => this.change(change));
    effect(() => {
      // another top level: strokes that were kept, or an undo
      this.top();
      untracked(() => this.again());
    });
  }
  ngOnDestroy(): void {
    this.brushing.close();
  }
  protected again(): void {
    void this.brushing.open(this.asset(), openPart(this.asset()).groups);
  }
  protected choose(tool: Tool): void {
    this.change(tool === 'in' || tool === 'out' ? { tool: 'push', inwards: tool === 'in' } : { tool });
  }
  protected change(change: Partial<ReturnType<LevelBrushing['settings']>>): void {
    this.brushing.settings.update((s) => ({ ...s, ...change }));
  }
  protected toGroup(): void {
    const name = this.group();
    if (name !== null) this.brushing.overGroup(name);
  }
  protected keep(): void {
    this.kept.emit(this.brushing.strokes());
  }
}
