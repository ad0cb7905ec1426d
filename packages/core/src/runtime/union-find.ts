/** Sets of the numbers below n that are joined two by two (Tarjan 1975, with paths halved). */
export class UnionFind {
  private readonly parent: Uint32Array;

  constructor(n: number) {
    this.parent = new Uint32Array(n);
    for (let i = 0; i < n; i++) this.parent[i] = i;
  }

  /** The number that stands for the set of `i`: the least of it, unless sets were put `under` others. */
  root(i: number): number {
    const { parent } = this;
    while (parent[i] !== i) i = parent[i] = parent[parent[i]];
    return i;
  }

  /** @returns whether they were apart */
  join(a: number, b: number): boolean {
    const x = this.root(a);
    const y = this.root(b);
    if (x < y) this.parent[y] = x;
    else this.parent[x] = y;
    return x !== y;
  }

  /** Puts a set, by its root, under another's. */
  under(root: number, other: number): void {
    this.parent[root] = other;
  }

  /** Sets numbered by their first members. @returns uint32[n] and how many there are */
  numbered(): { readonly of: Uint32Array; readonly count: number } {
    const of = new Uint32Array(this.parent.length);
    const numbers = new Int32Array(of.length).fill(-1);
    let count = 0;
    for (let i = 0; i < of.length; i++) {
      const r = this.root(i);
      if (numbers[r] < 0) numbers[r] = count++;
      of[i] = numbers[r];
    }
    return { of, count };
  }
}
