import type { AssetDetail } from '@estampe/contracts';
import { displaces, frameRuleOf } from '@estampe/core';
import { encodingSchema, extractSettingsSchema, titleOf } from '@estampe/contracts';
import type { ExtractSettings } from '@estampe/contracts';
import type { JobRow, MapFileRow } from '../db/models';
import { AppError } from '../http/app-error';
import type { FileInPieces } from '../jobs/job-thread';
import type { ChosenMap, JobInput, StoredMap } from '../jobs/job-messages';
import type { PackedLight } from '../jobs/light-mesh';
import type { Assets } from '../repositories/assets';
import { openGroups } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import { CHUNK_BYTES } from '../repositories/blobs';
import type { Deliveries } from '../repositories/deliveries';
import type { Jobs } from '../repositories/jobs';
import type { LightStates } from '../repositories/light-states';
import type { Spans } from '../repositories/spans';
import { requireMadeFrom } from './made-from';
import type { PartChange } from './payloads';
import {
  deliveryPayload,
  extractPayload,
  importPayload,
  islandsPayload,
  levelsPayload,
  lowPayload,
  mendPayload,
  proofPayload,
  splitPayload,
  studyPayload,
  transferPayload,
  unwrapPayload,
} from './payloads';

interface Ports {
  readonly blobs: Blobs;
  readonly assets: Assets;
  readonly lightStates: LightStates;
  readonly jobs: Jobs;
  readonly spans: Spans;
  readonly deliveries: Deliveries;
}

/** What is asked of a part, without what it was made from. */
const askedOf = <T extends PartChange>({
  partId,
  madeFrom: _from,
  after: _after,
  madeTo: _to,
  ...request
}: T): { partId: string; request: Omit<T, keyof PartChange> } => ({ partId, request });

/** Gathers from the database what a job's thread needs. */
export class JobInputs {
  constructor(private readonly ports: Ports) {}

  /** @param tile of a pass; all other jobs are whole
   *  @param held whether a thread has the surfaces of a key prepared, so that the meshes need not be read
   *  @throws AppError NOT_FOUND where something has gone meanwhile; CONFLICT where a part is another than a change was made from */
  async load(row: JobRow, tile: number, held: (key: string) => boolean): Promise<JobInput> {
    await requireMadeFrom(this.ports, row.payload);
    const input = await this.gather(row, tile, held);
    // what was read is what the change was made from, also where somebody changed the part while it was read
    await requireMadeFrom(this.ports, row.payload);
    return input;
  }

  private async gather(row: JobRow, tile: number, held: (key: string) => boolean): Promise<JobInput> {
    const { blobs } = this.ports;
    switch (row.kind) {
      case 'import': {
        const { part, partId, uvSet, up } = importPayload.parse(row.payload);
        const there = partId === null ? null : { name: part.name, ...(await this.light(partId)) };
        return { kind: 'import', files: part.files, there, uvSet, up };
      }
      case 'low': {
        const { partId, hash, name } = lowPayload.parse(row.payload);
        const { unit } = await this.ports.assets.ofPart(partId);
        return { kind: 'low', unit, ...(await this.light(partId)), file: { name, bytes: await blobs.readShared(hash) } };
      }
      case 'unwrap': {
        const { partId, request } = askedOf(unwrapPayload.parse(row.payload));
        return { kind: 'unwrap', ...(await this.light(partId)), request };
      }
      case 'transfer': {
        const {
          partId,
          request: { onto, ...request },
        } = askedOf(transferPayload.parse(row.payload));
        const file = onto === null ? null : { name: onto.name, bytes: await blobs.readShared(onto.hash) };
        const { up, part, parts, levelList } = await this.ports.assets.ofPart(partId);
        const [low, sculpt] = await Promise.all(
          [levelList[0], levelList[levelList.length - 1]].map(async ({ level }) =>
            blobs.readShared(await this.ports.spans.levelMeshHash(partId, level)),
          ),
        );
        return {
          kind: 'transfer',
          name: `${part.name}, levels`,
          before: low,
          groups: openGroups({ parts, part }),
          sculpt,
          file,
          up,
          request,
        };
      }
      case 'levels': {
        const { partId, edit } = levelsPayload.parse(row.payload);
        const { unit, part, parts, levelList, findings, sculptHash } = await this.ports.assets.ofPart(partId);
        const wantsSculpt = edit.op === 'project' || (edit.op === 'brush' && sculptHash !== null);
        const levels = [];
        for (const { level, meshId, detail } of levelList)
          levels.push({ meshId, detail, bytes: await blobs.readShared(await this.ports.spans.levelMeshHash(partId, level)) });
        const top = levelList[levelList.length - 1];
        return {
          kind: 'levels', levels, groups: openGroups({ parts, part }), sculpt: wantsSculpt && sculptHash !== null ? await blobs.readShared(sculptHash) : null,
          transfer: top.transfer ?? null,
          missed: findings.filter(({ code, level }) => code === 'transfer-missed' && level === top.level).flatMap(({ faces }) => faces),
          unit, request: edit,
        }; // prettier-ignore
      }
      case 'split': {
        const { partId } = splitPayload.parse(row.payload);
        const { stackKind, up, levelList, parts, part } = await this.ports.assets.ofPart(partId);
        const levels = await Promise.all(
          levelList.map(async ({ level }) => blobs.readShared(await this.ports.spans.levelMeshHash(partId, level))),
        );
        return { kind: 'split', before: levels[0], groups: openGroups({ parts, part }), finer: levels.slice(1), stackKind, up };
      }
      case 'islands': {
        const { partId, edit } = islandsPayload.parse(row.payload);
        return { kind: 'islands', ...(await this.light(partId)), edit };
      }
      case 'mend': {
        const { partId, request } = askedOf(mendPayload.parse(row.payload));
        return { kind: 'mend', ...(await this.light(partId)), request };
      }
      case 'extract': {
        const { spanIds } = extractPayload.parse(row.payload);
        const { settings, unit, lowHash, sculptHash } = await this.ports.spans.pass(spanIds);
        const hashes = { lowHash, sculptHash };
        const key = JSON.stringify([hashes, settings]);
        const pair = held(key) ? null : { low: await blobs.readShared(lowHash), sculpt: await blobs.readShared(sculptHash) };
        return { kind: 'extract', tile, key, settings, unit, ...hashes, pair };
      }
      case 'proof': {
        const { spanId, encoding, subdivisions, tolerance } = proofPayload.parse(row.payload);
        const { settings, asset, pair } = await this.span(spanId);
        const fields = await this.ports.spans.fields(spanId);
        return {
          kind: 'proof', ...(await pair()), settings, encoding, subdivisions, tolerance, assetName: titleOf(asset), free: asset.stackKind === 'free',
          fields: fields.map(({ tile, hash }) => ({ tile, hash })),
        }; // prettier-ignore
      }
      case 'study':
        return this.study(studyPayload.parse(row.payload).proofId);
      case 'delivery':
        return this.delivery(row);
    }
  }

  /** The light mesh as it is, and the levels that are refined from it. */
  private async light(partId: string): Promise<PackedLight & { rungs: Uint8Array[] }> {
    const { assets, blobs, spans } = this.ports;
    const before = await blobs.readShared(await spans.levelMeshHash(partId, 0));
    const asset = await assets.ofPart(partId);
    return { before, groups: openGroups(asset), rungs: await this.rungs(asset) };
  }

  /** A file that a job asks for while it runs. */
  async file(hash: string): Promise<FileInPieces> {
    const { blobs } = this.ports;
    const blob = await blobs.find(hash);
    if (blob === null) throw new AppError('NOT_FOUND', 'A file of this job is not here any more; bring it in or measure it again.');
    return { size: blob.bytes, pieceBytes: CHUNK_BYTES, pieces: blobs.read(hash) };
  }

  /** Levels of a stack between its ends, which a span can start from. */
  private async rungs({ part, stackKind, levelList }: AssetDetail): Promise<Uint8Array[]> {
    if (stackKind !== 'stack') return [];
    const hashes = await Promise.all(levelList.slice(1, -1).map(({ level }) => this.ports.spans.levelMeshHash(part.id, level)));
    return Promise.all(hashes.map((hash) => this.ports.blobs.readShared(hash)));
  }

  private async study(proofId: string): Promise<JobInput> {
    const proof = await this.ports.spans.proof(proofId);
    const { settings, pair } = await this.span(proof.spanId);
    const { outcome } = proof;
    if (outcome.kind === 'normal' || outcome.kind === 'values')
      throw new AppError('BAD_OPTION', 'Only the proof of a map that displaces can be looked into further.');
    const files = await this.ports.spans.mapFiles(proofId);
    const encoding = encodingSchema.parse(proof.encoding);
    return {
      kind: 'study',
      ...(await pair()),
      settings,
      encoding,
      outcome,
      frameLevel: files[0]?.record?.frameLevel ?? null,
      frameRule: frameRuleOf(files[0]?.record ?? {}),
      maps: files.map(({ tile, hash }) => ({ tile, hash })),
    };
  }

  private async delivery(row: JobRow): Promise<JobInput> {
    const { proofIds, withSculpt } = deliveryPayload.parse(row.payload);
    const { version } = await this.ports.deliveries.ofJob(row.id);
    const proofs = await Promise.all(proofIds.map((id) => this.ports.spans.proof(id)));
    for (const { spanId } of proofs.slice(1)) await this.span(spanId);
    const { settings, asset, pair } = await this.span(proofs[0].spanId);
    const maps: ChosenMap[] = [];
    for (const proof of proofs) {
      const own = extractSettingsSchema.parse((await this.ports.spans.get(proof.spanId)).settings);
      const files = (await this.ports.spans.mapFiles(proof.id)).map(storedOf);
      maps.push({
        encoding: encodingSchema.parse(proof.encoding),
        outcome: proof.outcome,
        size: [own.size, own.size],
        files,
        shown: await this.ports.blobs.readShared(files[0].hash),
        mesh: displaces(proof.outcome.kind) ? await this.ports.blobs.readShared(proof.meshHash) : null,
      });
    }
    return {
      kind: 'delivery', ...(await pair()), asset: titleOf(asset), version, unit: asset.unit, up: asset.up, groups: settings.fromLevel === 0 ? openGroups(asset) : null, createdAt: row.createdAt.toISOString(), settings,
      free: asset.stackKind === 'free', withSculpt, maps,
    }; // prettier-ignore
  }

  private async span(id: string): Promise<{
    settings: ExtractSettings;
    asset: AssetDetail;
    hashes: { lowHash: string; sculptHash: string };
    pair: () => Promise<{ low: Uint8Array; sculpt: Uint8Array }>;
  }> {
    const { blobs, spans, assets } = this.ports;
    const row = await spans.get(id);
    const settings = extractSettingsSchema.parse(row.settings);
    const asset = await assets.ofPart(row.partId);
    const lowHash = await spans.levelMeshHash(row.partId, settings.fromLevel);
    const sculptHash = await spans.levelMeshHash(row.partId, settings.toLevel);
    const isOther = (then: string, now: string): boolean => then !== '' && then !== now;
    if ((await spans.fields(id)).some(({ info }) => isOther(info.lowHash, lowHash) || isOther(info.sculptHash, sculptHash)))
      throw new AppError(
        'NOT_READY',
        `The levels of ${titleOf(asset)} have changed since this map was measured; measure it again, or go back to that state.`,
      );
    return {
      settings,
      asset,
      hashes: { lowHash, sculptHash },
      pair: async () => ({ low: await blobs.readShared(lowHash), sculpt: await blobs.readShared(sculptHash) }),
    };
  }
}

/** @throws AppError NOT_READY for a map from before records were kept */
function storedOf({ tile, name, hash, bytes, record, figures }: MapFileRow): StoredMap {
  if (record === null || figures === null)
    throw new AppError('NOT_READY', `${name} was written by an earlier version; prove it again, then deliver.`);
  return { tile, name, hash, bytes, record, figures };
}
