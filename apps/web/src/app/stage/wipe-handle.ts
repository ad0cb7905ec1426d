import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, model } from '@angular/core';

/** The line between the two sides of the Stage, moved by hand or by arrow keys. Its share counts over the width of its parent. */
@Component({
  selector: 'est-wipe-handle',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: '<span></span>',
  host: {
    role: 'slider',
    tabindex: '0',
    'aria-label': 'Wipe between the two sides',
    'aria-valuemin': '0',
    'aria-valuemax': '100',
    '[attr.aria-valuenow]': 'percent()',
    '[style.left.%]': '100 * share()',
    '(pointerdown)': 'grab($event)',
    '(pointermove)': 'drag($event)',
    '(keydown)': 'key($event)',
  },
  styles: `
    :host {
      position: absolute;
      top: 0;
      bottom: 0;
      width: 14px;
      margin-left: -7px;
      cursor: ew-resize;
      touch-action: none;
    }
    :host::before {
      content: '';
      position: absolute;
      left: 6px;
      top: 0;
      bottom: 0;
      width: 2px;
      background: #fff;
    }
    span {
      position: absolute;
      top: 50%;
      left: 1px;
      width: 12px;
      height: 36px;
      margin-top: -18px;
      background: var(--leaf);
      border: 1px solid var(--ink);
    }
  `,
})
export class WipeHandle {
  /** Share of the width that the left side takes, 0 to 1. */
  readonly share = model.required<number>();
  protected readonly percent = computed(() => Math.round(100 * this.share()));
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;

  protected grab(event: PointerEvent): void {
    this.host.setPointerCapture(event.pointerId);
    event.stopPropagation();
  }
  protected drag(event: PointerEvent): void {
    const box = this.host.parentElement?.getBoundingClientRect();
    if (event.buttons !== 0 && box) this.put((event.clientX - box.left) / box.width);
  }
  protected key(event: KeyboardEvent): void {
    const step = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    this.put(this.share() + step);
  }
  private put(share: number): void {
    this.share.set(Math.min(1, Math.max(0, share)));
  }
}
