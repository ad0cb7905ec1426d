import { inject, Injectable, signal, untracked } from '@angular/core';
import type { FieldInfo } from '@estampe/contracts';
import { addressOf, ROUTES } from '@estampe/contracts';
import type { Block, BlockAnswers, BlockRequest, OpenedField, TexelRead } from '../workers/block-messages';
import { WorkerCalls } from '../workers/worker-calls';
import { BLOCK_WORKER } from '../workers/worker-tokens';

/** Blocks that stay in memory, a third of a megabyte each, vectors more than twice that. What was not looked at for longest goes first; what the
 *  present view shows stays in any case, or a view of more blocks than these would ask for them for ever. */
const KEPT = 300;
const TOGETHER_MS = 30;

const keyOf = (fieldId: string, level: number, x: number, y: number): string => `${fieldId} ${level} ${x} ${y}`;

/** Large fields as far as they are looked at: blocks of the level that a view shows, and single texels. */
@Injectable({ providedIn: 'root' })
export class FieldBlocks {
  private readonly fields = new Map<string, Promise<OpenedField>>();
  /** In the order in which they were looked at; the block is null while it is under way. `seen` is the count of arrivals then. */
  private readonly blocks = new Map<string, { readonly block: Block | null; readonly seen: number }>();
  private readonly calls = new WorkerCalls(inject(BLOCK_WORKER), () => {
    this.fields.clear();
    this.blocks.clear();
  });
  private told: number | null = null;
  private readonly count = signal(0);
  /** Grows with every block that comes; who draws reads it to draw again. */
  readonly arrived = this.count.asReadonly();
  /** Why a block did not come; null while all do. */
  readonly problem = signal<string | null>(null);

  open({ id, picturesHash, bytes }: FieldInfo): Promise<OpenedField> {
    let field = this.fields.get(id);
    if (field === undefined) {
      const picturesUrl = addressOf(ROUTES.blob, { hash: picturesHash ?? '' });
      field = this.ask<'open'>({ type: 'open', fieldId: id, picturesUrl, dataUrl: addressOf(ROUTES.fieldData, { id }), bytes });
      field.then(
        ({ levels, picture }) => this.keep(keyOf(id, levels.length - 1, 0, 0), picture),
        () => this.fields.delete(id),
      );
      this.fields.set(id, field);
    }
    return field;
  }

  /** A block of an open field; null while it is not there. @param wanted whether it is asked for then */
  block(fieldId: string, level: number, x: number, y: number, wanted = true): Block | null {
    const key = keyOf(fieldId, level, x, y);
    const known = this.blocks.get(key);
    if (known !== undefined) this.keep(key, known.block);
    if (known !== undefined || !wanted) return known?.block ?? null;
    this.keep(key, null);
    this.ask<'block'>({ type: 'block', fieldId, level, x, y }).then(
      (block) => {
        this.keep(key, block);
        this.problem.set(null);
        this.tell();
      },
      (error: unknown) => {
        this.blocks.delete(key); // whoever draws next asks again
        this.problem.set(error instanceof Error ? error.message : String(error));
      },
    );
    return null;
  }

  texel(fieldId: string, x: number, y: number): Promise<TexelRead> {
    return this.ask<'texel'>({ type: 'texel', fieldId, x, y });
  }

  /** Several blocks that come close together are one reason to draw. */
  private tell(): void {
    this.told ??= window.setTimeout(() => {
      this.told = null;
      this.count.update((n) => n + 1);
    }, TOGETHER_MS);
  }
  private keep(key: string, block: Block | null): void {
    const seen = untracked(this.count);
    this.blocks.delete(key);
    this.blocks.set(key, { block, seen });
    for (const [oldest, { seen: last }] of this.blocks) {
      // a view touches its blocks one after another: what the one before showed may still come
      if (this.blocks.size <= KEPT || last >= seen - 1) return;
      this.blocks.delete(oldest);
    }
  }
  private async ask<K extends keyof BlockAnswers>(
    request: Omit<Extract<BlockRequest, { readonly type: K }>, 'id'>,
  ): Promise<BlockAnswers[K]> {
    return (await this.calls.ask<{ answer: BlockAnswers[K] }>(request)).answer;
  }
}
