import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatSliderModule } from '@angular/material/slider';
import type { MeasureRequest } from '@estampe/contracts';
import { KIND_WORDS } from '@estampe/contracts';
import type { KindOption } from '@estampe/core';
import { asksRay, hasAxes, heeds, holdsDirections, SHADING_KINDS } from '@estampe/core';
import { ChoiceField, choicesOf } from '../../shared/forms/choice-field';
import { NumberField } from '../../shared/forms/number-field';
import type { FormOf } from '../../shared/forms/zod-form';

const RAYS = [16, 32, 64, 128, 256, 512].map((value) => ({ value, label: `${value} a sample` }));
const FRAMES = choicesOf({ mikk: 'tangent space (MikkTSpace)', object: 'object space' });
const VECTOR_FRAMES = choicesOf({
  derivative: 'tangent space, from derivatives',
  mikk: 'tangent space (MikkTSpace)',
  object: 'object space',
});
const COLOURS = choicesOf({ sRGB: 'sRGB', linear: 'linear' });
const SHADES = [{ value: 'none' as const, label: 'nothing' }, ...SHADING_KINDS.map((value) => ({ value, label: KIND_WORDS[value] }))];
const PLACES = [
  { value: true, label: 'where a height map puts it' },
  { value: false, label: 'at the same parameters' },
];

/** What each kind of map needs to be told beyond what all have in common; only the kinds that are asked for are shown. */
@Component({
  selector: 'est-kind-settings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, MatButtonModule, MatSliderModule, NumberField, ReactiveFormsModule],
  template: `
    <div class="fields">
      @if (vectors()) {
        <est-choice-field label="Vectors in" class="wide" [control]="form().controls.vectorFrame" [options]="vectorFrames" />
        @if (free()) {
          <p class="note warn wide">
            On a free sculpt a vector is the height along the normal: it sees nothing under an overhang. Its proof says what share of the
            sculpt is reached. With levels of its own it reaches what lies under them, too.
            <button matButton type="button" (click)="transferred.emit()">Transfer its detail</button>
            <span class="num">{{ takes() }}</span>
          </p>
        }
      }
      @if (directions()) {
        <est-choice-field label="Normals in" class="wide" [control]="form().controls.frame" [options]="frames" />
      }
      @if (asks('rays')) {
        <est-choice-field label="Occlusion rays" [control]="form().controls.occlusionRays" [options]="rays" />
        <est-number-field label="Seed" [control]="form().controls.seed" />
        <est-number-field
          label="Looks as far as"
          class="wide"
          empty="any distance"
          [unit]="unit()"
          [control]="form().controls.occlusionDistance"
        />
      }
      @if (through()) {
        <est-number-field
          label="Looks through up to"
          class="wide"
          empty="a tenth of the sculpt"
          [unit]="unit()"
          [control]="form().controls.thicknessDistance"
        />
      }
      @if (asks('radius')) {
        <est-number-field label="Averaged within" class="wide" empty="automatic" [unit]="unit()" [control]="form().controls.radius" />
      }
      @if (asks('colourSpace')) {
        <est-choice-field label="Point colours are" [control]="form().controls.colourSpace" [options]="colours" />
        <est-choice-field label="Darkened by" [control]="form().controls.shade" [options]="shades" />
        @if (settings().shade !== 'none') {
          <label class="wide strength"
            >Strength
            <mat-slider min="0" max="1" step="0.05">
              <input matSliderThumb aria-label="Strength" [formControl]="form().controls.shadeStrength" />
            </mat-slider>
            <span class="num">{{ settings().shadeStrength }}</span>
          </label>
        }
      }
      @if (placed()) {
        <est-choice-field label="Read" class="wide" [control]="form().controls.forHeights" [options]="places" />
      }
    </div>
    @if (countsTwice()) {
      <p class="note warn">
        These normals go with the height map, but are written in the frame of the light mesh before it is displaced. A renderer that shades
        with the displaced normal counts the form twice, and the map looks too strong there.
      </p>
    }
  `,
  styles: `
    .strength {
      display: flex;
      align-items: center;
      gap: 12px;
    }
    mat-slider {
      flex: 1;
    }
  `,
})
export class KindSettings {
  /** Holds the settings and takes what is changed. */
  readonly form = input.required<FormOf<MeasureRequest>>();
  readonly settings = input.required<MeasureRequest>();
  readonly unit = input('');
  /** Whether the sculpt is a free one, without levels. */
  readonly free = input(false);
  /** To where a free sculpt gets levels. */
  /** What a transfer will take. */
  readonly takes = input('');
  readonly transferred = output();

  protected readonly rays = RAYS;
  protected readonly frames = FRAMES;
  protected readonly vectorFrames = VECTOR_FRAMES;
  protected readonly colours = COLOURS;
  protected readonly shades = SHADES;
  protected readonly places = PLACES;
  protected readonly vectors = computed(() => this.settings().kinds.some(hasAxes));
  protected readonly directions = computed(() => this.settings().kinds.some(holdsDirections));
  protected readonly through = computed(() => this.settings().kinds.some((kind) => heeds(kind, 'distance') && !heeds(kind, 'rays')));
  /** Normals that go with heights, in a tangent frame. */
  protected readonly countsTwice = computed(
    () => this.directions() && this.settings().frame === 'mikk' && (asksRay(this.settings().kinds) || this.settings().forHeights),
  );
  /** Whether it is open where surface values are read: heights of the same pass decide it, and a free sculpt has one way only. */
  protected readonly placed = computed(() => !asksRay(this.settings().kinds) && !this.free() && this.asks('forHeights'));

  /** Whether any of the maps heeds an option. */
  protected asks(option: KindOption): boolean {
    return this.settings().kinds.some((kind) => heeds(kind, option));
  }
}
