import { availableParallelism } from 'node:os';
import type { AssetDetail, ExtractSettings, LevelEditRequest, StackKind } from '@estampe/contracts';
import { extractSettingsSchema } from '@estampe/contracts';
import {
  channelsOf,
  deliveringBytes,
  displaces,
  ESTIMATE_BYTES,
  estimateMesh,
  facesAfter,
  measuringBytes,
  provingBytes,
  readingBytes,
  spanWork,
  SWEEP_FACES,
  texelBytes,
  texelsHeld,
  transferringBytes,
} from '@estampe/core';
import { requireMemory } from '@estampe/node';
import type { JobRow } from '../db/models';
import { spanOptions } from '../jobs/job-messages';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Spans } from '../repositories/spans';
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
  readonly spans: Spans;
  readonly assets: Assets;
}

/** Bytes a face of a level: its mesh as it was and with other UVs, packed and not, and while it is refined. */
const RELAID_BYTES = 800;
/** Levels of the base that maps which move nothing are shown on. */
const SHOWN_LEVELS = 4;

/** What jobs need of memory, from what the database knows of their meshes and maps. Asked when a job is ordered, and again by the worker that
 *  takes it up: it may have less. */
export class Needs {
  constructor(
    private readonly ports: Ports,
    /** Bytes that a worker here could use. */
    private readonly available: () => number,
    /** Of a job. */
    private readonly threads: number = availableParallelism(),
  ) {}

  /** @throws EstampeError NO_MEMORY with the figures */
  async ofJob(row: Pick<JobRow, 'kind' | 'payload'>): Promise<void> {
    switch (row.kind) {
      case 'import':
        return this.reading(importPayload.parse(row.payload).part.files.map((f) => f.hash));
      case 'low':
        return this.reading([lowPayload.parse(row.payload).hash]);
      case 'unwrap':
        return this.unwrapping(unwrapPayload.parse(row.payload).partId);
      case 'transfer': {
        const { partId, levels } = transferPayload.parse(row.payload);
        return this.transferring(partId, levels);
      }
      case 'levels': {
        const { partId, edit } = levelsPayload.parse(row.payload);
        return this.editingLevels(partId, edit);
      }
      case 'split':
        return this.splitting(splitPayload.parse(row.payload).partId);
      case 'islands':
        return this.unwrapping(islandsPayload.parse(row.payload).partId);
      case 'mend':
        return this.unwrapping(mendPayload.parse(row.payload).partId);
      case 'extract': {
        const { settings, sculptPoints, stackKind } = await this.ports.spans.pass(extractPayload.parse(row.payload).spanIds);
        this.measuringOf(sculptPoints, stackKind, settings);
        return;
      }
      case 'proof': {
        const { spanId, subdivisions } = proofPayload.parse(row.payload);
        return this.proving(spanId, subdivisions);
      }
      case 'study': {
        const { spanId, outcome } = await this.ports.spans.proof(studyPayload.parse(row.payload).proofId);
        return this.studying(spanId, displaces(outcome.kind) && 'subdivisions' in outcome.report ? outcome.report.subdivisions : 0);
      }
      case 'delivery':
        return this.delivering(deliveryPayload.parse(row.payload).proofIds);
    }
  }

  /** Meshes that are brought in. */
  async reading(hashes: readonly string[]): Promise<void> {
    const found = await Promise.all(
      hashes.map(async (hash) => {
        const blob = await this.ports.blobs.find(hash);
        if (blob === null) return null;
        const head: Buffer[] = [];
        for await (const part of this.ports.blobs.read(hash, 0, ESTIMATE_BYTES)) head.push(part);
        return { bytes: blob.bytes, mesh: estimateMesh(Buffer.concat(head), blob.bytes) };
      }),
    );
    const known = found.filter((file) => file !== null);
    const bytes = known.reduce((sum, file) => sum + file.bytes, 0);
    this.require(
      readingBytes(known.map(({ mesh }) => mesh)),
      `Bringing in ${(bytes / 1024 ** 2).toFixed(0)} MiB of meshes`,
      'leave levels between out, they are filled in',
    );
  }

  /** The light mesh takes little; its levels get their UVs all at once. */
  async unwrapping(partId: string): Promise<void> {
    const { levelList } = await this.ports.assets.ofPart(partId);
    const faces = levelList.slice(0, -1).reduce((sum, level) => sum + level.faces, 0);
    this.require(RELAID_BYTES * faces, `New UVs for ${faces} faces of levels`, 'bring the light mesh in with fewer levels');
  }

  /** @param levels null for as many as come near to the sculpt's faces */
  async transferring(partId: string, levels: number | null): Promise<void> {
    const { levelList } = await this.ports.assets.ofPart(partId);
    const { faces: low } = levelList[0];
    const sculpt = levelList[levelList.length - 1];
    // as many quads as the sculpt has points, whether it has quads or triangles
    const finest = levels === null ? sculpt.points : facesAfter(low, 4 * low, levels);
    this.require(transferringBytes(finest, sculpt.points), `Transferring to ${finest} faces`, 'ask for fewer levels');
  }

  /** All levels at once; with a sculpt, its tree and what is projected on it. */
  async editingLevels(partId: string, { op }: LevelEditRequest): Promise<void> {
    const { levelList } = await this.ports.assets.ofPart(partId);
    const sculpt = op === 'project' || op === 'brush' ? await this.ports.spans.sculptPoints(partId) : null;
    const faces = levelList.reduce((sum, level) => sum + level.faces, 0);
    const top = levelList[levelList.length - 1].faces;
    const more = op === 'add' || op === 'project' ? 4 * top : 0;
    const onSculpt = sculpt === null ? 0 : transferringBytes(2 * (top + more), sculpt);
    this.require(RELAID_BYTES * (faces + more) + onSculpt, `Working on ${faces + more} faces of levels`, 'drop a level first');
  }

  /** All levels at once, whole and in parts. */
  async splitting(partId: string): Promise<void> {
    const { levelList } = await this.ports.assets.ofPart(partId);
    const faces = levelList.reduce((sum, level) => sum + level.faces, 0);
    this.require(RELAID_BYTES * faces, `Splitting ${faces} faces of levels`, 'bring the part in with fewer levels');
  }

  async measuring({ part, stackKind }: Pick<AssetDetail, 'part' | 'stackKind'>, settings: readonly ExtractSettings[]): Promise<void> {
    this.measuringOf((await this.ports.spans.levelMesh(part.id, settings[0].toLevel)).points, stackKind, settings);
  }

  private measuringOf(points: number, stackKind: StackKind, settings: readonly ExtractSettings[]): void {
    const [{ size, fromLevel, toLevel }] = settings;
    const each = settings.reduce((sum, s) => sum + texelBytes(s.kind, s), 0);
    const work = spanWork(spanOptions(settings), stackKind === 'stack' ? toLevel - fromLevel : null);
    this.require(
      measuringBytes(work, points, size * size, each, this.threads),
      `One tile of ${size} x ${size} with ${settings.length === 1 ? 'this map' : `these ${settings.length} maps`}`,
      'take a smaller size or fewer maps at once',
    );
  }

  async proving(spanId: string, subdivisions: number): Promise<void> {
    const { settings, low, sculpt, tiles } = await this.facts(spanId);
    // maps wait for the end of the job as their files; they are no larger than those of their fields
    const files = (await this.ports.spans.fields(spanId)).reduce((sum, { info }) => sum + info.bytes, 0);
    const levels = displaces(settings.kind) ? subdivisions : SHOWN_LEVELS;
    const faces = facesAfter(low, 4 * low, levels);
    this.require(
      provingBytes(
        faces,
        sculpt,
        texelsHeld(tiles, settings.size ** 2, channelsOf(settings.kind)),
        channelsOf(settings.kind),
        this.threads,
      ) + files,
      `A proof at ${levels} subdivisions (${faces} faces)`,
      'take fewer subdivisions',
    );
  }

  async studying(spanId: string, proven: number): Promise<void> {
    const { settings, low, sculpt, sculptFaces, tiles } = await this.facts(spanId);
    const { ofSculpt, further } = SWEEP_FACES;
    const swept = Math.max(facesAfter(low, 4 * low, proven), ofSculpt * sculptFaces);
    const faces = 4 * swept <= further ? 4 * swept : swept;
    this.require(
      provingBytes(faces, sculpt, texelsHeld(tiles, settings.size ** 2, 3), 3, this.threads),
      'A closer look at this proof',
      'prove it with fewer subdivisions',
    );
  }

  /** The largest tile is drawn for the sheet; files of maps go by in pieces. */
  async delivering(proofIds: readonly string[]): Promise<void> {
    const proofs = await Promise.all(proofIds.map((id) => this.ports.spans.proof(id)));
    const all = await Promise.all(proofs.map((p) => this.facts(p.spanId)));
    const texels = Math.max(...all.map(({ settings: s }) => s.size ** 2 * channelsOf(s.kind)));
    const shown = Math.max(...proofs.map(({ outcome }, k) => ('subdivisions' in outcome.report ? facesAfter(all[k].low, 4 * all[k].low, outcome.report.subdivisions) : 0))); // prettier-ignore
    this.require(
      deliveringBytes(all[0].sculpt + shown, texels, this.threads),
      'Putting this delivery together',
      'take fewer maps into one delivery',
    );
  }

  /** Faces of the light mesh, points of the sculpt. */
  private async facts(
    spanId: string,
  ): Promise<{ settings: ExtractSettings; low: number; sculpt: number; sculptFaces: number; tiles: number }> {
    const { spans } = this.ports;
    const { partId, settings: raw } = await spans.get(spanId);
    const settings = extractSettingsSchema.parse(raw);
    const low = await spans.levelMesh(partId, settings.fromLevel);
    const sculpt = await spans.levelMesh(partId, settings.toLevel);
    return { settings, low: low.faces, sculpt: sculpt.points, sculptFaces: sculpt.faces, tiles: low.tiles.length };
  }

  private require(bytes: number, what: string, advice: string): void {
    requireMemory(bytes, what, advice, this.available());
  }
}
