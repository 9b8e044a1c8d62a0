/** A binary heap: the smallest item is taken first. */
export class Heap<T> {
  private readonly items: T[] = [];
  constructor(private readonly before: (a: T, b: T) => boolean) {}

  get size(): number {
    return this.items.length;
  }

  peek(): T | undefined {
    return this.items[0];
  }

  push(item: T): void {
    const { items } = this;
    let at = items.push(item) - 1;
    while (at > 0) {
      const up = (at - 1) >> 1;
      if (!this.inOrder(at, up)) break;
      this.swap(at, up);
      at = up;
    }
  }

  pop(): T | undefined {
    const { items } = this;
    const first = items[0];
    const last = items.pop();
    if (items.length > 0 && last !== undefined) {
      items[0] = last;
      let at = 0;
      for (;;) {
        let least = at;
        for (const down of [2 * at + 1, 2 * at + 2])
          if (down < items.length && this.inOrder(down, least)) least = down;
        if (least === at) break;
        this.swap(at, least);
        at = least;
      }
    }
    return first;
  }

  private inOrder(a: number, b: number): boolean {
    return this.before(this.items[a] as T, this.items[b] as T);
  }

  private swap(a: number, b: number): void {
    const { items } = this;
    [items[a], items[b]] = [items[b] as T, items[a] as T];
  }
}
