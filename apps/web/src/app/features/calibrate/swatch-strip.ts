import type { ElementRef } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, input, viewChildren } from '@angular/core';
import { significant } from '../../shared/format';
import type { Swatch } from '../../workers/field-messages';
import type { Depth } from './fits';
import { DEPTH_NAMES } from './fits';

/** The same part of the field at every depth, in clay under raking light: terraces are seen before they are rendered. */
@Component({
  selector: 'est-swatch-strip',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <figure>
      <div class="strip">
        @for (p of swatch().pictures; track p.depth) {
          <div [class.now]="p.depth === depth()">
            <canvas #picture [width]="swatch().side" [height]="swatch().side" role="img" [attr.aria-label]="names[p.depth]"></canvas>
            <span>{{ names[p.depth] }}</span>
          </div>
        }
      </div>
      <figcaption>{{ caption() }}</figcaption>
    </figure>
  `,
  styles: `
    figure {
      margin: 12px 0;
    }
    .strip {
      display: grid;
      grid-template-columns: repeat(4, 1fr);
      gap: 6px;
    }
    .strip div {
      display: grid;
      justify-items: center;
      color: var(--graphite);
    }
    canvas {
      width: 100%;
      border: 1px solid var(--rule);
    }
    .now {
      font-weight: 600;
      color: var(--prussian);
    }
    .now canvas {
      border-color: var(--prussian);
    }
    figcaption {
      color: var(--graphite);
    }
  `,
})
export class SwatchStrip {
  readonly swatch = input.required<Swatch>();
  readonly depth = input.required<Depth>();
  readonly unit = input('');
  private readonly pictures = viewChildren<ElementRef<HTMLCanvasElement>>('picture');
  protected readonly names = DEPTH_NAMES;
  protected readonly caption = computed(() => {
    const { units, at } = this.swatch();
    return `Where this map would step first: ${significant(units, 3)} ${this.unit()} wide, from texel ${at[0]}, ${at[1]}, lit from 7\u00b0 above the surface.`;
  });

  constructor() {
    effect(() => {
      const { side, pictures } = this.swatch();
      this.pictures().forEach(({ nativeElement }, i) => {
        const pen = nativeElement.getContext('2d');
        if (!pen) return;
        const image = pen.createImageData(side, side);
        pictures[i].grey.forEach((g, k) => {
          image.data[4 * k] = g;
          image.data[4 * k + 1] = 0.96 * g;
          image.data[4 * k + 2] = 0.88 * g;
          image.data[4 * k + 3] = 255;
        });
        pen.putImageData(image, 0, 0);
      });
    });
  }
}
