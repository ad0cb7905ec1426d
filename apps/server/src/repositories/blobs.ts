import { createHash, randomUUID } from 'node:crypto';
import type { Readable } from 'node:stream';
import { setImmediate } from 'node:timers/promises';
import { col, fn, Op } from 'sequelize';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { AppError } from '../http/app-error';
import { STORING } from './stored-data';

export const CHUNK_BYTES = 1024 * 1024;
/** Bytes that are hashed before others have their turn: some five milliseconds. */
const HASHED_AT_ONCE = 8 * 1024 * 1024;
/** Chunks that the database is asked for before they are wanted: it reads while they are sent on. */
const ASKED_AHEAD = 1;
/** A row is not sent back when it is written: of a chunk that would be all of it, as text. */
const WRITTEN_ONLY = { returning: false } as const;
/** Uploads that were broken off are swept after this long. */
const ABANDONED_MS = 60 * 60 * 1000;

/** Large data under its content hash, in chunks of 1 MiB; equal data is stored once. */
export class Blobs {
  constructor(private readonly db: Database) {}

  /** Stores a stream as it comes; memory holds one chunk. @throws AppError TOO_LARGE, EMPTY_FILE; leaves nothing behind then */
  async putStream(stream: Readable, maxBytes: number): Promise<{ hash: string; bytes: number }> {
    const { Blob, BlobChunk } = this.db.models;
    const id = randomUUID();
    await Blob.create({ id, hash: null, bytes: 0 });
    try {
      const digest = createHash('sha256');
      // one chunk, filled again and again: a stream may come a byte at a time
      const pending = Buffer.alloc(CHUNK_BYTES);
      let pendingBytes = 0;
      let bytes = 0;
      let index = 0;
      const flush = async (): Promise<void> => {
        await BlobChunk.create({ blobId: id, index: index++, data: pending.subarray(0, pendingBytes) }, WRITTEN_ONLY);
        pendingBytes = 0;
      };
      for await (const part of stream as AsyncIterable<Buffer>) {
        bytes += part.length;
        if (bytes > maxBytes)
          throw new AppError('TOO_LARGE', `The file is larger than ${maxBytes / 1024 ** 3} GiB; bring in a lighter level or fewer pieces.`);
        digest.update(part);
        for (let at = 0; at < part.length;) {
          const take = Math.min(part.length - at, CHUNK_BYTES - pendingBytes);
          pending.set(part.subarray(at, at + take), pendingBytes);
          pendingBytes += take;
          at += take;
          if (pendingBytes === CHUNK_BYTES) await flush();
        }
      }
      if (bytes === 0) throw new AppError('EMPTY_FILE', 'The file is empty; write the mesh again.');
      if (pendingBytes > 0) await flush();
      const hash = digest.digest('hex');
      await this.finish(id, hash, bytes);
      return { hash, bytes };
    } catch (error) {
      await Blob.destroy({ where: { id } }).catch(() => undefined); // swept later if the database is away
      throw error;
    }
  }

  /** Gives a complete upload its hash, or drops it when the same data is there already. */
  private async finish(id: string, hash: string, bytes: number): Promise<void> {
    await this.db.sequelize.transaction(async (transaction) => {
      // two uploads of the same data at once: the second waits here and finds the first
      await this.db.sequelize.query('select pg_advisory_xact_lock(hashtext($1))', { bind: [hash], transaction });
      const { Blob } = this.db.models;
      await this.db.sequelize.query('select pg_advisory_xact_lock_shared($1)', { bind: [STORING], transaction });
      // what is there already counts as stored now: whoever sent it will name it
      const [there] = await Blob.update({ createdAt: new Date() }, { where: { hash }, transaction });
      if (there > 0) await Blob.destroy({ where: { id }, transaction });
      else await Blob.update({ hash, bytes }, { where: { id }, transaction });
    });
  }

  /** Stores bytes inside the caller's transaction. */
  async put(bytes: Uint8Array, transaction: Transaction): Promise<string> {
    const { Blob, BlobChunk } = this.db.models;
    const hash = await hashOf(bytes);
    await this.db.sequelize.query('select pg_advisory_xact_lock(hashtext($1)), pg_advisory_xact_lock_shared($2)', {
      bind: [hash, STORING],
      transaction,
    });
    if (await Blob.findOne({ where: { hash }, transaction })) return hash;
    const blob = await Blob.create({ hash, bytes: bytes.length }, { transaction });
    for (let index = 0; index * CHUNK_BYTES < Math.max(1, bytes.length); index++) {
      const data = Buffer.from(
        bytes.buffer,
        bytes.byteOffset + index * CHUNK_BYTES,
        Math.min(CHUNK_BYTES, bytes.length - index * CHUNK_BYTES),
      );
      await BlobChunk.create({ blobId: blob.id, index, data }, { ...WRITTEN_ONLY, transaction });
    }
    return hash;
  }

  async find(hash: string): Promise<{ id: string; bytes: number } | null> {
    const row = await this.db.models.Blob.findOne({ where: { hash } });
    return row === null ? null : { id: row.id, bytes: row.bytes };
  }

  /** Chunks in order; the next are asked for while one is used. @param from, to bytes that are wanted, `to` exclusive @throws AppError NOT_FOUND */
  async *read(hash: string, from = 0, to = Infinity): AsyncGenerator<Buffer> {
    const blob = await this.find(hash);
    if (blob === null) throw new AppError('NOT_FOUND', 'That data is not here; load the page again.');
    const end = Math.min(to, blob.bytes);
    const asked: Promise<Buffer>[] = [];
    for (let index = Math.floor(from / CHUNK_BYTES); index * CHUNK_BYTES < end || asked.length > 0; index++) {
      const start = index * CHUNK_BYTES;
      if (start < end) {
        const chunk = this.chunk(blob.id, index, Math.max(0, from - start), Math.min(CHUNK_BYTES, end - start));
        chunk.catch(() => undefined); // said when its turn comes, if it comes
        asked.push(chunk);
      }
      const next = start >= end || asked.length > ASKED_AHEAD ? asked.shift() : undefined;
      if (next !== undefined) yield await next;
    }
  }

  /** Bytes of a chunk, `last` exclusive. As base64: the driver knows binary data as text of two letters a byte only, and is twice as long at it. */
  private async chunk(blobId: string, index: number, first: number, last: number): Promise<Buffer> {
    // of a chunk only what is wanted leaves the database
    const data = last - first < CHUNK_BYTES ? fn('substring', col('data'), first + 1, last - first) : col('data');
    const row = await this.db.models.BlobChunk.findOne({
      attributes: [[fn('encode', data, 'base64'), 'text']],
      where: { blobId, index },
      raw: true,
    });
    if (row === null) throw new Error(`blob ${blobId} lacks chunk ${index}`);
    return Buffer.from((row as unknown as { text: string }).text, 'base64');
  }

  /** All bytes, in memory that a thread can share. */
  async readShared(hash: string): Promise<Uint8Array> {
    const blob = await this.find(hash);
    if (blob === null) throw new AppError('NOT_FOUND', 'That data is not here; load the page again.');
    const out = new Uint8Array(new SharedArrayBuffer(blob.bytes));
    let at = 0;
    for await (const chunk of this.read(hash)) {
      out.set(chunk, at);
      at += chunk.length;
    }
    return out;
  }

  /** Removes uploads that never finished. */
  async sweep(): Promise<void> {
    await this.db.models.Blob.destroy({ where: { hash: null, createdAt: { [Op.lt]: new Date(Date.now() - ABANDONED_MS) } } });
  }
}

/** The content hash of bytes that may be hundreds of megabytes, while the server stays answerable. */
async function hashOf(bytes: Uint8Array): Promise<string> {
  const digest = createHash('sha256');
  for (let at = 0; at < bytes.length; at += HASHED_AT_ONCE) {
    if (at > 0) await setImmediate();
    digest.update(bytes.subarray(at, at + HASHED_AT_ONCE));
  }
  return digest.digest('hex');
}
