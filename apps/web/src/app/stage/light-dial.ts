import { ChangeDetectionStrategy, Component, computed, model } from '@angular/core';
import type { LightDirection } from '../shared/raking-light';

const RADIUS = 24;
const KEY_STEP_RAD = Math.PI / 24;

/** A small disc seen along the view: where its mark stands, there the raking light comes from; the rim is the flattest light. */
@Component({
  selector: 'est-light-dial',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg
      viewBox="-27 -27 54 54"
      width="54"
      height="54"
      role="slider"
      tabindex="0"
      aria-label="Direction of the raking light; arrow keys turn and raise it"
      [attr.aria-valuenow]="degrees()"
      aria-valuemin="0"
      aria-valuemax="360"
      [attr.aria-valuetext]="degrees() + ' degrees round, ' + raised() + ' degrees up'"
      (pointerdown)="grab($event)"
      (pointermove)="drag($event)"
      (keydown)="key($event)"
    >
      <circle r="25" class="disc" />
      <line x1="0" y1="0" [attr.x2]="mark().x" [attr.y2]="mark().y" />
      <circle r="2" class="hub" />
      <circle r="5" [attr.cx]="mark().x" [attr.cy]="mark().y" class="mark" />
    </svg>
  `,
  styles: `
    :host {
      display: block;
      touch-action: none;
    }
    svg {
      cursor: crosshair;
      border-radius: 50%;
    }
    .disc {
      fill: var(--disc);
      stroke: var(--ink);
    }
    line {
      stroke: var(--ochre);
      stroke-width: 1.5;
    }
    .hub {
      fill: var(--ink);
    }
    .mark {
      fill: var(--ochre);
      stroke: var(--ink);
    }
  `,
})
export class LightDial {
  readonly light = model.required<LightDirection>();
  protected readonly mark = computed(() => {
    const { azimuthRad, elevationRad } = this.light();
    const r = RADIUS * Math.cos(elevationRad) * 0.92;
    return { x: r * Math.sin(azimuthRad), y: -r * Math.cos(azimuthRad) };
  });
  protected readonly degrees = computed(() => Math.round(((this.light().azimuthRad * 180) / Math.PI + 360) % 360));
  protected readonly raised = computed(() => Math.round((this.light().elevationRad * 180) / Math.PI));

  protected grab(event: PointerEvent): void {
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    this.aim(event);
  }
  protected drag(event: PointerEvent): void {
    if (event.buttons > 0) this.aim(event);
  }
  private aim(event: PointerEvent): void {
    const box = (event.currentTarget as Element).getBoundingClientRect();
    const x = event.clientX - box.left - box.width / 2;
    const y = event.clientY - box.top - box.height / 2;
    const r = Math.min(1, Math.hypot(x, y) / RADIUS);
    this.light.set({ azimuthRad: Math.atan2(x, -y), elevationRad: Math.max(0.06, Math.acos(r)) });
  }
  protected key(event: KeyboardEvent): void {
    const turn = { ArrowLeft: -KEY_STEP_RAD, ArrowRight: KEY_STEP_RAD }[event.key] ?? 0;
    const raise = { ArrowUp: KEY_STEP_RAD, ArrowDown: -KEY_STEP_RAD }[event.key] ?? 0;
    if (turn === 0 && raise === 0) return;
    event.preventDefault();
    event.stopPropagation();
    this.light.update((l) => ({ azimuthRad: l.azimuthRad + turn, elevationRad: Math.min(1.5, Math.max(0.06, l.elevationRad + raise)) }));
  }
}
