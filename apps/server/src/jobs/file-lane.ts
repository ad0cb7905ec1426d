import type { ByteSource } from '@estampe/core';

/** The way of a file into the thread of a job: a few places for pieces, which both sides see. The thread reads from front to back and sleeps
 *  where no piece has come yet, so that neither side ever holds the file. */
export interface FileLane {
  /** Bytes of the file. */
  readonly size: number;
  readonly pieceBytes: number;
  /** Of each place how many bytes are in it; 0 at the end of the file, EMPTY or FAILED. */
  readonly lengths: Int32Array<SharedArrayBuffer>;
  readonly data: Uint8Array<SharedArrayBuffer>;
}

const PLACES = 4;
const EMPTY = -1;
const FAILED = -2;

/** Puts a file's pieces into its lane. */
export class LaneFeed {
  readonly lane: FileLane;
  private free = PLACES;
  private roomFor: (() => void) | null = null;
  private isOver = false;

  /** @param pieceBytes of the largest piece */
  constructor(size: number, pieceBytes: number) {
    this.lane = {
      size,
      pieceBytes,
      lengths: new Int32Array(new SharedArrayBuffer(4 * PLACES)).fill(EMPTY),
      data: new Uint8Array(new SharedArrayBuffer(PLACES * pieceBytes)),
    };
  }

  /** The thread has emptied a place. */
  taken(): void {
    this.free++;
    this.roomFor?.();
  }

  /** Nobody takes anything any more: a reader may have had enough before the end. */
  stop(): void {
    this.isOver = true;
    this.roomFor?.();
  }

  /** @throws what the pieces throw; the thread is told then. Nothing once it was stopped */
  async put(pieces: AsyncIterable<Uint8Array>): Promise<void> {
    const { data, pieceBytes } = this.lane;
    let place = 0;
    const fill = async (length: number, piece: Uint8Array | null): Promise<void> => {
      while (this.free === 0 && !this.isOver) await new Promise<void>((resolve) => (this.roomFor = resolve));
      if (this.isOver) return;
      this.free--;
      if (piece !== null) data.set(piece, place * pieceBytes);
      this.mark(place, length);
      place = (place + 1) % PLACES;
    };
    try {
      for await (const piece of pieces) {
        if (piece.length > 0) await fill(piece.length, piece);
        if (this.isOver) return;
      }
    } catch (error) {
      if (this.isOver) return;
      void fill(FAILED, null);
      throw error;
    }
    await fill(0, null);
  }

  private mark(place: number, length: number): void {
    Atomics.store(this.lane.lengths, place, length);
    Atomics.notify(this.lane.lengths, place);
  }
}

/** Takes a file's pieces out of its lane, in the thread. */
export class LaneSource implements ByteSource {
  private place = 0;
  private held = false;

  /** @param taken tells the other side that a place is empty */
  constructor(
    private readonly lane: FileLane,
    private readonly taken: () => void,
  ) {}

  get size(): number {
    return this.lane.size;
  }

  /** Sleeps until the next piece is there. @throws Error when the file cannot be read any further */
  next(): Uint8Array {
    const { lengths, data, pieceBytes } = this.lane;
    if (this.held) {
      Atomics.store(lengths, this.place, EMPTY);
      this.place = (this.place + 1) % PLACES;
      this.held = false;
      this.taken();
    }
    Atomics.wait(lengths, this.place, EMPTY);
    const length = Atomics.load(lengths, this.place);
    if (length === FAILED) throw new Error('a file of this job has gone');
    this.held = length > 0;
    return data.subarray(this.place * pieceBytes, this.place * pieceBytes + length);
  }
}
