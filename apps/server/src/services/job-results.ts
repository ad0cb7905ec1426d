import { Readable } from 'node:stream';
import { fieldSchema, proofSchema, studySchema } from '@estampe/contracts';
import { MENDS } from '@estampe/core';
import { zipStream } from '@estampe/delivery';
import type { Transaction } from 'sequelize';
import type * as z from 'zod';
import type { Database } from '../db/connect';
import type { JobRow } from '../db/models';
import { AppError } from '../http/app-error';
import type { DeliveryResult, ImportedPart, JobResult } from '../jobs/job-messages';
import type { Assets, NewLevel } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Deliveries } from '../repositories/deliveries';
import type { Claim, Jobs } from '../repositories/jobs';
import type { LightStates } from '../repositories/light-states';
import type { Spans } from '../repositories/spans';
import { keepMadeTo, requireMadeFrom } from './made-from';
import {
  extractPayload,
  importPayload,
  islandsPayload,
  levelsPayload,
  lowPayload,
  mendPayload,
  proofPayload,
  studyPayload,
  transferPayload,
  unwrapPayload,
} from './payloads';

interface Ports {
  readonly blobs: Blobs;
  readonly assets: Assets;
  readonly lightStates: LightStates;
  readonly spans: Spans;
  readonly jobs: Jobs;
  readonly deliveries: Deliveries;
}

const fieldInfo = fieldSchema.omit({ id: true, tile: true });

/** What a job has found, if it can be read again. @throws AppError BAD_NUMBER naming the figure: a row that nobody can open helps nobody */
function figuresOf<T>(schema: z.ZodType<T>, value: unknown): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const { path, message } = parsed.error.issues[0];
  throw new AppError('BAD_NUMBER', `This came out with a figure that cannot be (${path.join('.')}: ${message}), so nothing was stored; check midpoint, scale and meshes.`); // prettier-ignore
}

/** Of the jobs that end with a new light mesh. */
const LOW_PAYLOADS = { low: lowPayload, unwrap: unwrapPayload, islands: islandsPayload, mend: mendPayload };

/** A zip of maps and meshes; larger ones belong into several deliveries. */
const MAX_ZIP_BYTES = 64 * 1024 ** 3;

/** Writes what a job has made, in one transaction with the end of the job; writing it twice leaves the same rows. */
export class JobResults {
  constructor(
    private readonly db: Database,
    private readonly ports: Ports,
  ) {}

  /** @returns false, and nothing is kept, when the task was cancelled or taken up by another meanwhile
   *  @throws AppError CONFLICT where the part that it changes has become another meanwhile */
  async store(claim: Claim, result: JobResult): Promise<boolean> {
    const row = claim.job;
    // the zip is streamed piece by piece, which no transaction should wait for; unused, it is only data under its hash
    const zip = result.kind === 'delivery' ? await this.writeZip(row, result) : null;
    return this.db.sequelize.transaction(async (transaction) => {
      if (!(await this.ports.jobs.end(claim, 'done', null, transaction))) return false;
      await requireMadeFrom(this.ports, row.payload, transaction);
      await this.write(row, result, zip, transaction);
      await keepMadeTo(this.ports, row.id, row.payload, transaction);
      return true;
    });
  }

  private async write(
    row: JobRow,
    result: JobResult,
    zip: { hash: string; bytes: number } | null,
    transaction: Transaction,
  ): Promise<void> {
    const { blobs, assets, lightStates, spans, jobs, deliveries } = this.ports;
    switch (result.kind) {
      case 'import': {
        const { name, unit, up, production, assetId, partId, newAssetId, part: brought } = importPayload.parse(row.payload);
        const levels = await this.stored(result.levels, transaction);
        const pictureHash = await blobs.put(result.picture, transaction);
        const part = { jobId: row.id, name: brought.name, pictureHash, stackKind: result.stackKind, levels };
        const id = assetId ?? newAssetId ?? row.id;
        if (partId !== null) await assets.completePart(partId, part, transaction);
        else {
          if (assetId === null) await assets.create({ id, name, unit, up, production }, transaction);
          await assets.addParts(id, [part], transaction);
        }
        await jobs.setAsset(row.id, id, transaction);
        break;
      }
      case 'transfer': {
        const { assetId } = row;
        if (assetId == null) throw new Error('a transfer without its asset');
        const { name, stackKind } = result;
        const pictureHash = await blobs.put(result.picture, transaction);
        await assets.addParts(assetId, [{ jobId: row.id, name, pictureHash, stackKind, sculptHash: await this.finest(transferPayload.parse(row.payload).partId), levels: await this.stored(result.levels, transaction) }], transaction, true); // prettier-ignore
        break;
      }
      case 'levels': {
        const levels = [];
        for (const level of result.levels) levels.push('kept' in level ? level : (await this.stored([level], transaction))[0]);
        await lightStates.replaceLevels(levelsPayload.parse(row.payload).partId, result.title, levels, transaction);
        break;
      }
      case 'split': {
        const { assetId } = row;
        if (assetId == null) throw new Error('a split without its asset');
        const made = [];
        for (const { name, levels, picture, stackKind } of result.parts) {
          const pictureHash = await blobs.put(picture, transaction);
          made.push({ jobId: row.id, name, pictureHash, stackKind, levels: await this.stored(levels, transaction) });
        }
        await assets.addParts(assetId, made, transaction);
        break;
      }
      case 'low': {
        const { mesh, ...level } = result.level;
        const { partId } = LOW_PAYLOADS[row.kind as keyof typeof LOW_PAYLOADS].parse(row.payload);
        const low = { ...level, meshHash: await blobs.put(mesh, transaction) };
        const rungs = [];
        for (const rung of result.rungs) rungs.push(await blobs.put(rung, transaction));
        const isMoved = row.kind === 'low' || (row.kind === 'mend' && MENDS[mendPayload.parse(row.payload).mend].changesSurface);
        await lightStates.replaceLow(partId, result.title, low, rungs, isMoved, transaction);
        break;
      }
      case 'extract': {
        const { spanIds } = extractPayload.parse(row.payload);
        for (const [k, spanId] of spanIds.entries()) {
          const { file, pictures, info: found } = result.maps[k];
          const picturesHash = pictures === null ? null : await blobs.put(pictures, transaction);
          const info = figuresOf(fieldInfo, { ...found, picturesHash });
          await spans.writeField(spanId, { tile: result.tile, hash: await blobs.put(file, transaction), info }, transaction);
        }
        break;
      }
      case 'proof': {
        const { spanId, encoding } = proofPayload.parse(row.payload);
        const maps = [];
        for (const { file, ...map } of result.maps) maps.push({ ...map, hash: await blobs.put(file, transaction), bytes: file.length });
        const { seconds } = result;
        const { outcome, worst } = figuresOf(proofSchema.pick({ outcome: true, worst: true }), result);
        const meshHash = await blobs.put(result.mesh, transaction);
        const errorsHash = await blobs.put(result.errors, transaction);
        const proof = { jobId: row.id, encoding, outcome, worst, seconds, meshHash, errorsHash, maps };
        await spans.writeProof(spanId, proof, transaction);
        break;
      }
      case 'study':
        await spans.writeStudy(studyPayload.parse(row.payload).proofId, figuresOf(studySchema, result.study), transaction);
        break;
      case 'delivery': {
        if (zip === null) throw new Error('a delivery without its zip');
        const sheetHash = await blobs.put(result.sheet, transaction);
        await deliveries.write(row.id, { manifest: result.manifest, zipHash: zip.hash, sheetHash, bytes: zip.bytes }, transaction);
        break;
      }
    }
  }

  private async finest(partId: string): Promise<string> {
    const { levelList } = await this.ports.assets.ofPart(partId);
    return this.ports.spans.levelMeshHash(partId, levelList.length - 1);
  }

  private async stored(levels: ImportedPart['levels'], transaction: Transaction): Promise<NewLevel[]> {
    const out: NewLevel[] = [];
    for (const { mesh, ...level } of levels) out.push({ ...level, meshHash: await this.ports.blobs.put(mesh, transaction) });
    return out;
  }

  private async writeZip(row: JobRow, { files, manifest }: DeliveryResult): Promise<{ hash: string; bytes: number }> {
    const { blobs, deliveries } = this.ports;
    const { name } = await deliveries.ofJob(row.id);
    const entries = files.map((file) => ({
      path: file.path,
      open: () => ('hash' in file ? Readable.from(blobs.read(file.hash)) : Readable.from([file.bytes])),
    }));
    return blobs.putStream(zipStream(name, entries, new Date(manifest.createdAt)), MAX_ZIP_BYTES);
  }
}
