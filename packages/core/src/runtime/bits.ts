/** As many flags as asked for, a bit each; none is set at first. */
export class Bits {
  private readonly bytes: Uint8Array;

  constructor(count: number) {
    this.bytes = new Uint8Array((count + 7) >>> 3);
  }

  has(i: number): boolean {
    return (this.bytes[i >>> 3] & (1 << (i & 7))) !== 0;
  }

  set(i: number): void {
    this.bytes[i >>> 3] |= 1 << (i & 7);
  }
}
