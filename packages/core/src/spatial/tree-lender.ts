import type { RunControl } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import type { WasmMemory } from '../runtime/wasm';
import type { Bvh } from './bvh';
import { rayBvhByThreads } from './tree-by-threads';

/** Lends trees one after another, each in the memory of the one before: what threads have seen is theirs until they tidy up, so that letting a
 *  tree go frees nothing for a long while. */
export class TreeLender {
  private spare: WasmMemory | null = null;
  private isLent = false;

  constructor(private readonly threads: Threads) {}

  /** @param use has the tree until its promise is settled, and no longer @throws Error while another is lent; RangeError as `buildRayBvh` does; CancelledError */
  async lend<T>(positions: Float32Array, corners: Uint32Array, use: (tree: Bvh) => Promise<T>, control?: RunControl): Promise<T> {
    if (this.isLent) throw new Error('one tree at a time is lent');
    this.isLent = true;
    try {
      const tree = await rayBvhByThreads(positions, corners, this.threads, control, this.spare);
      this.spare = tree.wide?.memory ?? null;
      return await use(tree);
    } finally {
      this.isLent = false;
    }
  }
}
