/** A binary heap: the least first, ties by what was put in first. */
export class Heap<T> {
  private readonly items: { readonly key: number; readonly order: number; readonly value: T }[] = [];
  private put = 0;

  push(key: number, value: T): void {
    const { items } = this;
    const item = { key, order: this.put++, value };
    let i = items.push(item) - 1;
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (!before(item, items[up])) break;
      items[i] = items[up];
      i = up;
    }
    items[i] = item;
  }

  pop(): { readonly key: number; readonly value: T } | undefined {
    const { items } = this;
    const first = items[0];
    const last = items.pop();
    if (last === undefined || items.length === 0) return first;
    let i = 0;
    for (;;) {
      let down = 2 * i + 1;
      if (down >= items.length) break;
      if (down + 1 < items.length && before(items[down + 1], items[down])) down++;
      if (!before(items[down], last)) break;
      items[i] = items[down];
      i = down;
    }
    items[i] = last;
    return first;
  }
}

const before = (a: { key: number; order: number }, b: { key: number; order: number }): boolean =>
  a.key < b.key || (a.key === b.key && a.order < b.order);
