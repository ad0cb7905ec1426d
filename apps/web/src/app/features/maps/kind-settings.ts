import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { MeasureRequest } from '@estampe/contracts';
import { KIND_WORDS } from '@estampe/contracts';
import type { KindOption } from '@estampe/core';
import { asksRay, hasAxes, heeds, holdsDirections, MAP_KIND_NAMES, SHADING_KINDS } from '@estampe/core';
import { parseNumber } from '../../shared/format';

const RAYS = [16, 32, 64, 128, 256, 512] as const;

/** What each kind of map needs to be told beyond what all have in common; only the kinds that are asked for are shown. */
@Component({
  selector: 'est-kind-settings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (vectors()) {
      <div class="field-row">
        <label for="vector-frame">Vectors in</label>
        <select id="vector-frame" (change)="setVectorFrame(text($event))">
          <option value="derivative" [selected]="settings().vectorFrame === 'derivative'">tangent space, from derivatives</option>
          <option value="mikk" [selected]="settings().vectorFrame === 'mikk'">tangent space (MikkTSpace)</option>
          <option value="object" [selected]="settings().vectorFrame === 'object'">object space</option>
        </select>
      </div>
      @if (free()) {
        <p class="note warn">
          On a free sculpt a vector is the height along the normal: it sees nothing under an overhang. Its proof says what share of the
          sculpt is reached.
        </p>
      }
    }
    @if (directions()) {
      <div class="field-row">
        <label for="frame">Normals in</label>
        <select id="frame" (change)="edited.emit({ frame: text($event) === 'object' ? 'object' : 'mikk' })">
          <option value="mikk" [selected]="settings().frame === 'mikk'">tangent space (MikkTSpace)</option>
          <option value="object" [selected]="settings().frame === 'object'">object space</option>
        </select>
      </div>
    }
    @if (asks('rays')) {
      <div class="field-row">
        <label for="rays">Occlusion rays</label>
        <select id="rays" (change)="edited.emit({ occlusionRays: +text($event) })">
          @for (n of rays; track n) {
            <option [value]="n" [selected]="n === settings().occlusionRays">{{ n }} a sample</option>
          }
        </select>
      </div>
      <div class="field-row">
        <label for="distance">Looks as far as ({{ unit() }})</label>
        <input
          id="distance"
          type="text"
          inputmode="decimal"
          placeholder="any distance"
          [value]="settings().occlusionDistance ?? ''"
          (change)="setLength('occlusionDistance', text($event), $event)"
        />
      </div>
      <div class="field-row">
        <label for="seed">Seed</label>
        <input id="seed" type="text" inputmode="numeric" [value]="settings().seed" (change)="setSeed(text($event), $event)" />
      </div>
    }
    @if (through()) {
      <div class="field-row">
        <label for="through">Looks through up to ({{ unit() }})</label>
        <input
          id="through"
          type="text"
          inputmode="decimal"
          placeholder="a tenth of the sculpt"
          [value]="settings().thicknessDistance ?? ''"
          (change)="setLength('thicknessDistance', text($event), $event)"
        />
      </div>
    }
    @if (asks('radius')) {
      <div class="field-row">
        <label for="radius">Averaged within ({{ unit() }})</label>
        <input
          id="radius"
          type="text"
          inputmode="decimal"
          placeholder="automatic"
          [value]="settings().radius ?? ''"
          (change)="setLength('radius', text($event), $event)"
        />
      </div>
    }
    @if (asks('colourSpace')) {
      <div class="field-row">
        <label for="colour-space">Point colours are</label>
        <select id="colour-space" (change)="edited.emit({ colourSpace: text($event) === 'linear' ? 'linear' : 'sRGB' })">
          <option value="sRGB" [selected]="settings().colourSpace === 'sRGB'">sRGB</option>
          <option value="linear" [selected]="settings().colourSpace === 'linear'">linear</option>
        </select>
      </div>
      <div class="field-row">
        <label for="shade">Darkened by</label>
        <select id="shade" (change)="setShade(text($event))">
          <option value="none" [selected]="settings().shade === 'none'">nothing</option>
          @for (kind of shading; track kind) {
            <option [value]="kind" [selected]="settings().shade === kind">{{ words[kind] }}</option>
          }
        </select>
      </div>
      @if (settings().shade !== 'none') {
        <div class="field-row">
          <label for="strength">Strength</label>
          <input
            id="strength"
            type="range"
            min="0"
            max="1"
            step="0.05"
            [value]="settings().shadeStrength"
            [attr.aria-valuetext]="settings().shadeStrength"
            (change)="edited.emit({ shadeStrength: +text($event) })"
          />
        </div>
      }
    }
    @if (placed()) {
      <div class="field-row">
        <label for="use">Read</label>
        <select id="use" (change)="edited.emit({ forHeights: text($event) === 'heights' })">
          <option value="heights" [selected]="settings().forHeights">where a height map puts it</option>
          <option value="alone" [selected]="!settings().forHeights">at the same parameters</option>
        </select>
      </div>
    }
    @if (countsTwice()) {
      <p class="note warn">
        These normals go with the height map, but are written in the frame of the light mesh before it is displaced. A renderer that shades
        with the displaced normal counts the form twice, and the map looks too strong there.
      </p>
    }
  `,
})
export class KindSettings {
  readonly settings = input.required<MeasureRequest>();
  readonly unit = input('');
  /** Whether the sculpt is a free one, without levels. */
  readonly free = input(false);
  readonly edited = output<Partial<MeasureRequest>>();

  protected readonly rays = RAYS;
  protected readonly shading = SHADING_KINDS;
  protected readonly words = KIND_WORDS;
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
  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected setVectorFrame(value: string): void {
    this.edited.emit({ vectorFrame: value === 'object' || value === 'mikk' ? value : 'derivative' });
  }
  /** What darkens is measured in the same pass, so it is ticked along. */
  protected setShade(value: string): void {
    const shade = SHADING_KINDS.find((kind) => kind === value) ?? 'none';
    const { kinds } = this.settings();
    const more = shade === 'none' || kinds.includes(shade) ? {} : { kinds: MAP_KIND_NAMES.filter((k) => k === shade || kinds.includes(k)) };
    this.edited.emit({ shade, ...more });
  }
  /** A length above 0, or nothing for what is found by itself. */
  protected setLength(key: 'occlusionDistance' | 'thicknessDistance' | 'radius', value: string, event: Event): void {
    const length = value.trim() === '' ? null : parseNumber(value);
    const ok = value.trim() === '' || (length !== null && length > 0);
    (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
    if (ok) this.edited.emit({ [key]: length });
  }
  protected setSeed(value: string, event: Event): void {
    const seed = parseNumber(value);
    const ok = seed !== null && Number.isInteger(seed) && seed >= 0 && seed <= 0xffffffff;
    (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
    if (ok) this.edited.emit({ seed });
  }
}
