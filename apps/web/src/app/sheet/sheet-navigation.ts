import { computed, signal } from '@angular/core';
import type { SheetView } from './sheet-picture';

const ZOOM = [0.02, 64] as const;

/** Where the Sheet looks: all of it, until somebody moves it by pointer, wheel or keys. Places in texels, moves in CSS pixels. */
export class SheetNavigation {
  private readonly chosen = signal<SheetView | null>(null);
  private grabbed: { readonly x: number; readonly y: number } | null = null;
  readonly view = computed<SheetView>(() => this.chosen() ?? this.fitted());

  /** @param fitted the view that shows all; a signal */
  constructor(private readonly fitted: () => SheetView) {}

  /** @param view null for all */
  lookAt(view: SheetView | null): void {
    this.chosen.set(view);
  }
  /** The place under a point of the box. */
  placeAt(x: number, y: number, box: DOMRect): { readonly x: number; readonly y: number } {
    const view = this.view();
    return { x: view.x + (x - box.left - box.width / 2) / view.zoom, y: view.y + (y - box.top - box.height / 2) / view.zoom };
  }
  grab(x: number, y: number): void {
    this.grabbed = { x, y };
  }
  /** Drags what was grabbed along. */
  drag(x: number, y: number): void {
    if (this.grabbed === null) return;
    const view = this.view();
    this.chosen.set({ ...view, x: view.x - (x - this.grabbed.x) / view.zoom, y: view.y - (y - this.grabbed.y) / view.zoom });
    this.grabbed = { x, y };
  }
  /** Zooms about a place, which stays where it is. */
  turn(delta: number, at: { readonly x: number; readonly y: number }): void {
    const view = this.view();
    const zoom = Math.min(ZOOM[1], Math.max(ZOOM[0], view.zoom * Math.exp(-delta * 0.0015)));
    const k = view.zoom / zoom;
    this.chosen.set({ x: at.x + (view.x - at.x) * k, y: at.y + (view.y - at.y) * k, zoom });
  }
  /** @returns whether the key means something here */
  key(name: string): boolean {
    const view = this.view();
    const step = 48 / view.zoom;
    const moves: Readonly<Record<string, SheetView>> = {
      ArrowLeft: { ...view, x: view.x - step },
      ArrowRight: { ...view, x: view.x + step },
      ArrowUp: { ...view, y: view.y - step },
      ArrowDown: { ...view, y: view.y + step },
      '+': { ...view, zoom: view.zoom * 1.25 },
      '=': { ...view, zoom: view.zoom * 1.25 },
      '-': { ...view, zoom: view.zoom / 1.25 },
      Home: this.fitted(),
    };
    if (!Object.hasOwn(moves, name)) return false;
    this.chosen.set(moves[name]);
    return true;
  }
}
