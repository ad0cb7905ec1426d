import type { Signal } from '@angular/core';
import { effect, inject, Injectable, signal, untracked } from '@angular/core';
import type { FieldInfo } from '@estampe/contracts';
import { FieldBlocks } from '../shared/field-blocks';
import { FieldStore } from '../shared/field-store';
import type { OpenedField, TexelRead } from '../workers/block-messages';
import type { LoadedField } from '../workers/field-messages';

export interface Texel {
  readonly tile: number;
  readonly x: number;
  readonly y: number;
}

/** The fields that the Sheet shows: small ones loaded whole, large ones opened to be looked at in blocks. One for each Sheet. */
@Injectable()
export class ShownFields {
  private readonly store = inject(FieldStore);
  readonly blocks = inject(FieldBlocks);
  /** By tile. */
  readonly loaded = signal<ReadonlyMap<number, LoadedField>>(new Map());
  readonly opened = signal<ReadonlyMap<number, { readonly id: string; readonly field: OpenedField }>>(new Map());
  readonly message = signal<string | null>(null);
  /** The texel under the pointer of a large field, once it has been read. */
  private readonly exact = signal<{ readonly id: string; readonly x: number; readonly y: number; readonly read: TexelRead } | null>(null);
  private ids: ReadonlySet<string> = new Set();

  /** Shows the fields of a signal from now on, and reads the texels of another. Needs an injection context. */
  follow(fields: Signal<readonly FieldInfo[]>, pointed: Signal<Texel | null>): void {
    let request = 0;
    effect(() => {
      const infos = fields();
      const mine = ++request;
      // another map's picture would pass for this one's while it is read
      if (infos.every(({ id }) => !this.ids.has(id))) untracked(() => this.show([], [], []));
      if (infos.length === 0) {
        this.message.set(null);
        return;
      }
      this.message.set('Loading the field…');
      const [large, small] = [infos.filter((f) => f.picturesHash !== null), infos.filter((f) => f.picturesHash === null)];
      Promise.all([
        Promise.all(small.map(async (info) => [info.tile, await this.store.load(info)] as const)),
        Promise.all(large.map(async (info) => [info.tile, { id: info.id, field: await this.blocks.open(info) }] as const)),
      ]).then(
        ([whole, opened]) => {
          if (mine !== request) return;
          this.show(infos, whole, opened);
          this.message.set(null);
        },
        (error: unknown) => {
          if (mine === request) this.message.set(error instanceof Error ? error.message : String(error));
        },
      );
    });
    let reading = 0;
    effect(() => {
      const at = pointed();
      const open = at && this.opened().get(at.tile);
      if (!open) return;
      const { x, y } = at;
      const mine = ++reading;
      this.blocks.texel(open.id, x, y).then(
        (read) => {
          // a late answer about another texel would push out the right one
          if (mine === reading) this.exact.set({ id: open.id, x, y, read });
        },
        () => this.exact.set(null),
      );
    });
    effect(() => {
      const problem = this.blocks.problem();
      if (problem !== null && this.opened().size > 0) this.message.set(problem);
    });
  }

  has(tile: number): boolean {
    return this.loaded().has(tile) || this.opened().has(tile);
  }
  /** What is known of a texel; of a large field once it has been read. */
  texel({ tile, x, y }: Texel): TexelRead | null {
    const field = this.loaded().get(tile);
    if (field) {
      const i = y * field.width + x;
      return { values: [...field.values.subarray(field.channels * i, field.channels * (i + 1))], coverage: field.coverage[i] };
    }
    const [open, exact] = [this.opened().get(tile), this.exact()];
    return open && exact?.id === open.id && exact.x === x && exact.y === y ? exact.read : null;
  }

  private show(
    infos: readonly FieldInfo[],
    whole: readonly (readonly [number, LoadedField])[],
    opened: readonly (readonly [number, { readonly id: string; readonly field: OpenedField }])[],
  ): void {
    this.loaded.set(new Map(whole));
    this.opened.set(new Map(opened));
    this.ids = new Set(infos.map(({ id }) => id));
  }
}
