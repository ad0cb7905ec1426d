import { computed, Injectable, signal } from '@angular/core';
import type { IslandEditRequest } from '@estampe/contracts';
import { Subject } from 'rxjs';

/** Less than this is no move: shares of a tile. */
const LEAST = 1e-6;

/** Islands that are chosen on the Sheet while the step Sheet is open, and what is asked for them. */
@Injectable({ providedIn: 'root' })
export class IslandPicking {
  readonly open = signal(false);
  /** One face of each chosen island. */
  readonly faces = signal<readonly number[]>([]);
  /** How far they are being dragged, in tiles; null while they rest. */
  readonly dragged = signal<readonly [number, number] | null>(null);
  readonly edits = new Subject<IslandEditRequest>();
  readonly some = computed(() => this.faces().length > 0);

  /** @param islands island of each face @param more keeps the others; an island that is chosen is let go */
  choose(face: number, islands: Uint32Array, more: boolean): void {
    const same = (f: number): boolean => islands[f] === islands[face];
    this.faces.update((faces) => (faces.some(same) && more ? faces.filter((f) => !same(f)) : [...(more ? faces : []), face]));
  }
  clear(): void {
    this.faces.set([]);
    this.dragged.set(null);
  }
  close(): void {
    this.open.set(false);
    this.clear();
  }
  turn(quarters: 1 | 3): void {
    if (this.some()) this.edits.next({ op: 'turn', faces: [...this.faces()], quarters });
  }
  mirror(): void {
    if (this.some()) this.edits.next({ op: 'mirror', faces: [...this.faces()] });
  }
  /** Where they were dragged to. */
  drop(): void {
    const by = this.dragged();
    if (by !== null && Math.hypot(...by) > LEAST) this.edits.next({ op: 'move', faces: [...this.faces()], by: [...by] });
    else this.dragged.set(null);
  }
}
