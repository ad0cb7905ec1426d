import { mkdir, open, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExtractedTile, Field, MapKind, Tiles } from '@estampe/core';
import { extremesOf, TilesByNeed } from '@estampe/core';

interface KeptField {
  readonly tile: number;
  readonly kind: MapKind;
  readonly size: Pick<Field, 'width' | 'height' | 'channels'>;
  readonly extremes: Field;
}

/** The fields of a pass until its maps are made and proven. Of several tiles they lie in files as they are in memory, and one is read at a time. */
export class KeptFields {
  private readonly kept: KeptField[] = [];
  private readonly sizes = new Map<number, Float32Array>();
  private readonly whole = new Map<MapKind, Field>();

  /** @param folder of its own, made when it is needed */
  constructor(
    private readonly folder: string,
    private readonly tiles: number,
  ) {}

  async keep(tile: number, { fields, texelSizes }: Pick<ExtractedTile, 'fields' | 'texelSizes'>): Promise<void> {
    this.sizes.set(tile, texelSizes);
    if (this.tiles > 1) await mkdir(this.folder, { recursive: true });
    for (const [kind, field] of fields) {
      const { width, height, channels, values, coverage } = field;
      this.kept.push({ tile, kind, size: { width, height, channels }, extremes: extremesOf(field) });
      if (this.tiles === 1) this.whole.set(kind, field);
      else {
        await writeFile(this.path(kind, tile, 'values'), values);
        await writeFile(this.path(kind, tile, 'coverage'), coverage);
      }
    }
  }

  of(kind: MapKind): Tiles<Field> {
    const own = this.kept.filter((k) => k.kind === kind);
    const fields = new TilesByNeed(own, (field) => this.read(field));
    const whole = this.whole.get(kind);
    if (whole !== undefined) fields.hold(own[0].tile, whole);
    return fields;
  }

  /** Two texels a tile, from which every range but a clipped one comes out the same. */
  extremes(kind: MapKind): Field[] {
    return this.kept.filter((k) => k.kind === kind).map((k) => k.extremes);
  }

  /** All tiles at once. */
  async all(kind: MapKind): Promise<Field[]> {
    const whole = this.whole.get(kind);
    if (whole !== undefined) return [whole];
    const out: Field[] = [];
    for (const own of this.kept) if (own.kind === kind) out.push(await this.read(own));
    return out;
  }

  texelSizes(tile: number): Float32Array | null {
    return this.sizes.get(tile) ?? null;
  }

  /** Lets go of everything. */
  async clear(): Promise<void> {
    this.kept.length = 0;
    this.whole.clear();
    await rm(this.folder, { recursive: true, force: true });
  }

  private async read({ tile, kind, size }: KeptField): Promise<Field> {
    const { width, height, channels } = size;
    const values = new Float32Array(channels * width * height);
    const coverage = new Uint8Array(width * height);
    await fillFrom(this.path(kind, tile, 'values'), new Uint8Array(values.buffer));
    await fillFrom(this.path(kind, tile, 'coverage'), coverage);
    return { ...size, values, coverage };
  }

  private path(kind: MapKind, tile: number, what: string): string {
    return join(this.folder, `${kind}-${tile}-${what}`);
  }
}

/** Bytes that are read at once: Node reads no file of 2 GiB in one go. */
const PIECE_BYTES = 2 ** 28;

async function fillFrom(path: string, bytes: Uint8Array): Promise<void> {
  const file = await open(path);
  try {
    for (let at = 0; at < bytes.length;) {
      const { bytesRead } = await file.read(bytes, at, Math.min(PIECE_BYTES, bytes.length - at));
      if (bytesRead === 0) throw new Error(`${path} has become shorter`);
      at += bytesRead;
    }
  } finally {
    await file.close();
  }
}
