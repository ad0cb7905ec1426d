import { MAP_KIND_NAMES } from '@estampe/core';
import type { MapKind } from '@estampe/core';
import { inject, Injectable, signal } from '@angular/core';
import type { PieceInfo } from '@estampe/contracts';
import { ServerEvents } from '../api/server-events';

/** A small picture of a tile that is being measured, as far as it has come. */
export interface Rubbing {
  readonly kind: MapKind;
  readonly width: number;
  readonly height: number;
  /** Value that 32767 stands for. */
  readonly range: number;
  readonly data: Int16Array; // width x height; NOTHING where nothing is known
}
export const NOTHING = -32768;
/** Spans whose rubbings are kept; the fields themselves follow soon. */
const KEPT = 4;

/** Collects the pieces of maps that are being measured. Arrays stay out of the store; `version` says that some have come. */
@Injectable({ providedIn: 'root' })
export class PieceStore {
  private readonly spans = new Map<string, Map<number, Rubbing>>();
  readonly version = signal(0);

  constructor() {
    inject(ServerEvents).stream.subscribe((item) => {
      if (item.type === 'event' && item.event.type === 'piece') this.add(item.event.piece);
    });
  }

  /** The tiles of a span so far. Reading it follows what comes. */
  of(spanId: string | null): ReadonlyMap<number, Rubbing> {
    this.version();
    return (spanId === null ? undefined : this.spans.get(spanId)) ?? new Map<number, Rubbing>();
  }

  private add({ spanId, tile, kind, width, height, y0, rows, range, data }: PieceInfo): void {
    const known = MAP_KIND_NAMES.find((k) => k === kind);
    if (spanId === null || !known || y0 + rows > height) return;
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
    if (bytes.length !== 2 * width * rows) return;
    let tiles = this.spans.get(spanId);
    if (!tiles) this.spans.set(spanId, (tiles = new Map<number, Rubbing>()));
    let rubbing = tiles.get(tile);
    // the first rows of another pass over the same tile
    if (rubbing?.width !== width || rubbing.height !== height || rubbing.kind !== known)
      tiles.set(tile, (rubbing = { kind: known, width, height, range, data: new Int16Array(width * height).fill(NOTHING) }));
    rubbing.data.set(new Int16Array(bytes.buffer), y0 * width);
    for (const old of this.spans.keys()) if (this.spans.size > KEPT && old !== spanId) this.spans.delete(old);
    this.version.update((v) => v + 1);
  }
}
