import type {
  AssetDetail,
  BringIn,
  ChangeRow,
  DeliverRequest,
  EncodingSettings,
  ExtractSettings,
  IslandEditRequest,
  JobInfo,
  LevelEditRequest,
  LowAgain,
  MeasureRequest,
  ProveRequest,
  MendRequest,
  SetGroups,
  StorageInfo,
  TransferRequest,
  UnwrapRequest,
} from '@estampe/contracts';
import { extractSettingsSchema, KIND_WORDS, METRES, plainName, settingsOfKind, titleOf } from '@estampe/contracts';
import {
  axisLetters,
  displaces,
  hasAxes,
  heeds,
  holdsDirections,
  LEGAL_DEPTHS,
  MAP_KINDS,
  MENDS,
  MESH_FORMATS,
  needsSculpt,
  parseAxes,
  problemOf,
} from '@estampe/core';
import type { MeshFormatId } from '@estampe/core';
import { deliveryName } from '@estampe/delivery';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { SideThread } from '../jobs/side-thread';
import type { Database } from '../db/connect';
import { AppError } from '../http/app-error';
import type { Assets } from '../repositories/assets';
import { openGroups } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Deliveries } from '../repositories/deliveries';
import type { Jobs } from '../repositories/jobs';
import { toJobInfo } from '../repositories/jobs';
import type { LightStates } from '../repositories/light-states';
import type { Spans } from '../repositories/spans';
import type { StoredData } from '../repositories/stored-data';
import type { FieldRow, JobRow } from '../db/models';
import type { Events } from './events';
import type { Needs } from './needs';
import type { Press } from './press';

/** Where assets go that a user brings in. */
const OWN_PRODUCTION = 'Your sculpts';

interface Repositories {
  readonly blobs: Blobs;
  readonly assets: Assets;
  readonly lightStates: LightStates;
  readonly spans: Spans;
  readonly jobs: Jobs;
  readonly deliveries: Deliveries;
  readonly storedData: StoredData;
}

/** What a user can ask for; each request is checked here, then becomes a job. */
export class Studio {
  constructor(
    private readonly db: Database,
    private readonly repositories: Repositories,
    private readonly press: Press,
    private readonly events: Events,
    private readonly needs: Needs,
    private readonly side: SideThread,
  ) {}

  /** Makes a new asset, or further parts of an asset, of uploaded files: one job a part, so that one bad file holds up none but its own.
   *  @returns the first of them */
  async bringIn(request: BringIn, production = OWN_PRODUCTION): Promise<JobInfo> {
    const { parts, ...about } = request;
    for (const file of parts.flatMap((part) => part.files)) await this.requireUpload(file);
    const asset = about.assetId === null ? null : await this.repositories.assets.detail(about.assetId, about.partId);
    if (asset !== null && asset.unit !== about.unit)
      throw new AppError('BAD_OPTION', `${asset.name} is in ${asset.unit}; write this part in the same unit, then bring it in.`);
    for (const part of parts) await this.needs.reading(part.files.map(({ hash }) => hash));
    if (about.partId !== null) return this.complete(asset, request, production);
    const newAssetId = asset === null ? randomUUID() : null;
    const rows = await this.db.sequelize.transaction(async (transaction) => {
      const made: JobRow[] = [];
      for (const part of parts) {
        if (asset !== null) await this.requireFree(asset, part.name, transaction);
        const whole = asset?.name ?? (parts.length > 1 ? about.name : null);
        const title = whole === null ? `Bring in ${part.name}` : `Bring in ${part.name} of ${whole}`;
        made.push(await this.repositories.jobs.create({ kind: 'import', title, assetId: about.assetId }, { ...about, part, newAssetId, production }, transaction)); // prettier-ignore
      }
      return made;
    });
    for (const row of rows) await this.press.enqueue(row);
    return toJobInfo(rows[0]);
  }

  /** Two people who bring in a part of one name at the same moment come one after the other. */
  private async requireFree(asset: AssetDetail, name: string, transaction: Transaction): Promise<void> {
    await this.repositories.assets.lockForPart(asset.id, name, transaction);
    if (await this.repositories.jobs.isComing(asset.id, name, transaction))
      throw new AppError('CONFLICT', `A part named ${name} is just being brought into ${asset.name}; give this one another name.`);
  }

  /** Gives a part of one mesh its other, or its other levels. */
  private async complete(asset: AssetDetail | null, { parts: [part, ...more], ...about }: BringIn, production: string): Promise<JobInfo> {
    if (asset === null || more.length > 0)
      throw new AppError(
        'BAD_OPTION',
        'The part of one asset is completed by the files of one part; say which asset, and no further parts.',
      );
    if (asset.stackKind !== 'alone')
      throw new AppError('CONFLICT', `${titleOf(asset)} has its meshes; bring these in as a part of their own.`);
    const title = `Complete ${titleOf(asset)}`;
    const payload = { ...about, part: { ...part, name: asset.part.name }, production };
    const job = await this.repositories.jobs.create({ kind: 'import', title, assetId: asset.id }, payload);
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Brings a light mesh in again, whose points may have moved. */
  async bringLowAgain(assetId: string, partId: string | null, request: LowAgain): Promise<JobInfo> {
    const asset = await this.repositories.assets.detail(assetId, partId);
    await this.requireUpload(request);
    await this.needs.reading([request.hash]);
    const job = await this.repositories.jobs.create(
      { kind: 'low', title: `Bring in the light mesh of ${titleOf(asset)} again`, assetId },
      { ...request, partId: asset.part.id },
    );
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Gives the light mesh of a part new UVs; maps measured before are out of date, and come back with an undo. */
  async unwrap(assetId: string, partId: string | null, request: UnwrapRequest): Promise<JobInfo> {
    const asset = await this.repositories.assets.detail(assetId, partId);
    await this.needs.unwrapping(asset.part.id);
    const job = await this.repositories.jobs.create(
      { kind: 'unwrap', title: `Unwrap ${titleOf(asset)}`, assetId },
      { ...request, partId: asset.part.id },
    );
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Mends the light mesh of a part. What changes its points or polygons would leave the levels of a stack behind.
   *  @throws AppError CONFLICT */
  async mend(assetId: string, partId: string | null, request: MendRequest): Promise<JobInfo> {
    const asset = await this.repositories.assets.detail(assetId, partId);
    if (asset.stackKind === 'stack' && MENDS[request.mend].changesSurface)
      throw new AppError(
        'CONFLICT',
        'The levels of this stack are refined from the light mesh as it is; mend it where it was made, and bring the stack in anew.',
      );
    await this.needs.unwrapping(asset.part.id);
    const job = await this.repositories.jobs.create(
      { kind: 'mend', title: `Mend ${titleOf(asset)}`, assetId },
      { ...request, partId: asset.part.id },
    );
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Places islands of a light mesh anew. */
  async editIslands(partId: string, edit: IslandEditRequest): Promise<JobInfo> {
    const asset = await this.repositories.assets.ofPart(partId);
    await this.needs.unwrapping(partId);
    const job = await this.repositories.jobs.create({ kind: 'islands', title: `Place islands of ${titleOf(asset)}`, assetId: asset.id }, { partId, edit }); // prettier-ignore
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Makes a stack of a light mesh and its free sculpt, or of a later light mesh and the finest level, as a part of its own.
   *  @throws AppError CONFLICT where there is no detail to take */
  async transfer(partId: string, request: TransferRequest): Promise<JobInfo> {
    const asset = await this.repositories.assets.ofPart(partId);
    if (request.onto === null && asset.stackKind !== 'free')
      throw new AppError(
        'CONFLICT',
        'Only the detail of a free sculpt can be transferred; this part has its levels already, or no sculpt yet.',
      );
    if (request.onto !== null) {
      if (asset.stackKind === 'alone')
        throw new AppError('CONFLICT', 'This part is one mesh and has no detail to take; bring in its sculpt first.');
      await this.requireUpload(request.onto);
      await this.needs.reading([request.onto.hash]);
    }
    await this.needs.transferring(partId, request.levels);
    const job = await this.repositories.jobs.create({ kind: 'transfer', title: `Levels for ${titleOf(asset)}`, assetId: asset.id }, { partId, ...request }); // prettier-ignore
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Changes the levels of a part. @throws AppError CONFLICT where a level is wanted that is not there, or a sculpt */
  async editLevels(partId: string, edit: LevelEditRequest): Promise<JobInfo> {
    const asset = await this.repositories.assets.ofPart(partId);
    requireLevels(asset, edit);
    await this.needs.editingLevels(partId, edit);
    const job = await this.repositories.jobs.create({ kind: 'levels', title: `${LEVEL_EDITS[edit.op]} of ${titleOf(asset)}`, assetId: asset.id }, { partId, edit }); // prettier-ignore
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Makes a part of each group of a part's light mesh. */
  async split(partId: string): Promise<JobInfo> {
    const asset = await this.repositories.assets.ofPart(partId);
    await this.needs.splitting(partId);
    const job = await this.repositories.jobs.create({ kind: 'split', title: `Split ${titleOf(asset)} along its groups`, assetId: asset.id }, { partId }); // prettier-ignore
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Gives the faces of a light mesh other groups; maps stay current. */
  async setGroups(partId: string, request: SetGroups): Promise<void> {
    this.events.send({ type: 'asset', assetId: await this.repositories.lightStates.setGroups(partId, request) });
  }

  async goToState(partId: string, place: number): Promise<void> {
    this.events.send({ type: 'asset', assetId: await this.repositories.lightStates.goToState(partId, place) });
  }

  /** A tile's islands as a picture for painters. @throws AppError NOT_FOUND */
  async layoutImage(partId: string, tile: number, size: number): Promise<{ readonly name: string; readonly png: Uint8Array }> {
    const { assets, blobs, spans } = this.repositories;
    const asset = await assets.ofPart(partId);
    const before = await blobs.readShared(await spans.levelMeshHash(partId, 0));
    const png = asset.tiles.includes(tile)
      ? await this.side.ask({ what: 'layout', light: { before, groups: openGroups(asset) }, size, tile })
      : null;
    if (png === null) throw new AppError('NOT_FOUND', `The light mesh has no islands in tile ${tile}.`);
    return { name: `${plainName(titleOf(asset))}-layout-${tile}.png`, png };
  }

  /** A level as a mesh file. @throws AppError NOT_FOUND */
  async levelFile(partId: string, level: number, format: MeshFormatId): Promise<{ readonly name: string; readonly bytes: Uint8Array }> {
    const { assets, blobs, spans } = this.repositories;
    const asset = await assets.ofPart(partId);
    const packed = await blobs.readShared(await spans.levelMeshHash(partId, level));
    const groups = openGroups(asset);
    // a free sculpt has groups of its own
    const light = groups === null || (asset.stackKind === 'free' && level > 0) ? null : { before: await blobs.readShared(await spans.levelMeshHash(partId, 0)), groups }; // prettier-ignore
    const name = `${plainName(titleOf(asset))}-level-${level}${MESH_FORMATS[format].endings[0]}`;
    const scene = { metresPerUnit: METRES[asset.unit], up: asset.up };
    const bytes = await this.side.ask({ what: 'mesh', level: packed, light, name, scene });
    if (bytes === null) throw new Error('a mesh without its file');
    return { name, bytes };
  }

  private async requireUpload({ hash, name }: { readonly hash: string; readonly name: string }): Promise<void> {
    if ((await this.repositories.blobs.find(hash)) === null) throw new AppError('NOT_FOUND', `${name} has not arrived; drop it again.`);
  }

  /** Makes a span of a part for each map asked for and sends them to be measured in one pass. */
  async extract(assetId: string, openId: string | null, request: MeasureRequest): Promise<JobInfo> {
    const { kinds, tiles: asked, ...settings } = request;
    const { assets, spans, jobs } = this.repositories;
    const asset = await assets.detail(assetId, openId);
    const levels = asset.levelList.length;
    if (asset.stackKind === 'alone')
      throw new AppError(
        'NOT_READY',
        `${titleOf(asset)} is one mesh, and a map measures from a light mesh to a finer one; bring its other in, in the step Sculpt.`,
      );
    if (settings.fromLevel === settings.toLevel)
      throw new AppError('SAME_LEVEL', 'From and to are the same level, so the map would be empty; drag the span to a higher rung.');
    if (settings.fromLevel > settings.toLevel)
      throw new AppError(
        'BAD_OPTION',
        'The span runs downwards; a map measures from the lighter level to the finer one, so turn it round.',
      );
    if (settings.toLevel >= levels)
      throw new AppError('BAD_OPTION', `This asset has the levels 0 to ${levels - 1}; choose the span among them.`);
    if (asset.tiles.length === 0)
      throw new AppError('NO_UVS', 'The light mesh has no UVs in a numbered tile, and a map needs them; unwrap it in the step Sheet.');
    const tiles = tilesOf(asset, asked);
    const wanted = kinds.map((kind) => settingsOfKind(settings, kind));
    if (settings.fitTexels && !wanted.some((s) => s.fitTexels))
      throw new AppError(
        'BAD_OPTION',
        'Texels are fitted to the filter for heights, vectors and normals only; leave that off where none of them is asked for.',
      );
    if (kinds.some((kind) => MAP_KINDS[kind].needs.colours) && asset.levelList[settings.toLevel].colours === false)
      throw new AppError(
        'NO_COLOURS',
        `Level ${settings.toLevel} has no point colours; paint it, write it with colours and bring it in again, or leave the colour map out.`,
      );
    if (kinds.some((kind) => heeds(kind, 'shade')) && settings.shade !== 'none' && !kinds.includes(settings.shade))
      throw new AppError(
        'BAD_OPTION',
        `Colours are darkened by ${settings.shade} of the same pass; tick that map too, or leave the colours as they are.`,
      );
    const partId = asset.part.id;
    await this.needs.measuring(asset, wanted);
    const hashes = {
      lowHash: await spans.levelMeshHash(partId, settings.fromLevel),
      sculptHash: await spans.levelMeshHash(partId, settings.toLevel),
    };
    const job = await this.db.sequelize.transaction(async (transaction) => {
      // two people who start one span at the same moment come one after the other
      await assets.lockPart(partId, transaction);
      await assets.setRecipe(partId, request, transaction);
      const { ids: spanIds, known } = await spans.open(partId, settings, kinds, hashes, transaction);
      const open = await jobs.openExtraction(known.filter((id) => id !== null));
      if (open !== null) {
        if (open.covers(known, tiles)) return open.row;
        throw new AppError(
          'CONFLICT',
          `${open.row.title} is still on the press and measures one of these maps; wait for its end or cancel it, then start this.`,
        );
      }
      const some = tiles.length < asset.tiles.length ? `, ${tiles.length === 1 ? 'tile' : 'tiles'} ${inWords(tiles.map(String))}` : '';
      const title = `Extract ${titleOf(asset)}, levels ${settings.fromLevel} to ${settings.toLevel}, ${inWords(wanted.map((s) => KIND_WORDS[s.kind]))}${some}`;
      return jobs.create({ kind: 'extract', title, assetId, spanId: spanIds[0], tiles }, { spanIds }, transaction);
    });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Renames, removes or brings back an asset; what is on the press for it goes on. */
  async changeAsset(id: string, change: ChangeRow): Promise<void> {
    await this.repositories.assets.changeAsset(id, change);
    this.events.send({ type: 'asset', assetId: id });
  }
  async changePart(id: string, change: ChangeRow): Promise<void> {
    this.events.send({ type: 'asset', assetId: await this.repositories.assets.changePart(id, change) });
  }

  /** Frees what nobody needs any more. @returns what it was */
  async freeStorage(): Promise<StorageInfo> {
    const { freed, assetIds } = await this.repositories.storedData.free();
    for (const assetId of assetIds) this.events.send({ type: 'asset', assetId });
    return freed;
  }

  /** Keeps how a part is measured, for its next pass. */
  async keepRecipe(partId: string, recipe: MeasureRequest): Promise<void> {
    const { assets } = this.repositories;
    await assets.setRecipe(partId, recipe);
    this.events.send({ type: 'asset', assetId: await assets.assetOfPart(partId) });
  }

  /** @returns the saved encoding's version @throws AppError CONFLICT when it was changed elsewhere meanwhile */
  async saveEncoding(spanId: string, encoding: EncodingSettings, basedOn: number): Promise<number> {
    const { spans, assets } = this.repositories;
    const span = await spans.get(spanId);
    checkEncoding(extractSettingsSchema.parse(span.settings), encoding);
    const version = await spans.saveEncoding(spanId, encoding, basedOn);
    if (version !== basedOn) this.events.send({ type: 'asset', assetId: await assets.assetOfPart(span.partId) });
    return version;
  }

  /** Writes the map with an encoding and proves the written file. A span without an encoding keeps this one. */
  async prove(spanId: string, encoding: EncodingSettings, request: ProveRequest): Promise<JobInfo> {
    const { spans, assets, jobs } = this.repositories;
    const span = await spans.get(spanId);
    const fields = await spans.fields(spanId);
    const measured = new Set(fields.map((f) => f.tile));
    if (measured.size === 0) throw new AppError('NOT_READY', 'This span has not been extracted yet; extract it first.');
    const settings = extractSettingsSchema.parse(span.settings);
    checkEncoding(settings, encoding);
    const asset = await assets.ofPart(span.partId);
    const { id: assetId, tiles } = asset;
    const missing = tiles.filter((tile) => !measured.has(tile));
    if (missing.length > 0)
      throw new AppError(
        'NOT_READY',
        `${missing.length === 1 ? 'Tile' : 'Tiles'} ${inWords(missing.map(String))} of this span ${missing.length === 1 ? 'is' : 'are'} not measured yet; extract the rest, then prove the whole.`,
      );
    requireRange(fields, encoding);
    await this.needs.proving(spanId, request.subdivisions);
    if (await spans.keepFirstEncoding(spanId, encoding)) this.events.send({ type: 'asset', assetId });
    const title = `Prove ${titleOf(asset)}, ${KIND_WORDS[settings.kind]}, ${encoding.depth}${/\d/.test(encoding.depth) ? ' bit' : ''}`;
    const job = await jobs.create({ kind: 'proof', title, assetId, spanId }, { spanId, encoding, ...request });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Splits a proof's error by cause and sweeps over render subdivisions. */
  async study(proofId: string): Promise<JobInfo> {
    const { spans, assets, jobs } = this.repositories;
    const proof = await spans.proof(proofId);
    if (!displaces(proof.outcome.kind))
      throw new AppError('BAD_OPTION', 'Only the proof of a map that displaces can be looked into further.');
    const asset = await assets.ofPart((await spans.get(proof.spanId)).partId);
    await this.needs.ofJob({ kind: 'study', payload: { proofId } });
    const job = await jobs.create(
      { kind: 'study', title: `Look closer at the proof of ${titleOf(asset)}`, assetId: asset.id, spanId: proof.spanId },
      { proofId },
    );
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Packs proven maps of one part with their light mesh into the asset's next version. */
  async deliver(assetId: string, partId: string | null, request: DeliverRequest): Promise<JobInfo> {
    const { assets, jobs, deliveries } = this.repositories;
    const asset = await assets.detail(assetId, partId);
    const known = new Map(asset.spans.flatMap((span) => span.proofs.map((proof) => [proof.id, span])));
    const chosen = request.proofIds.map((proofId) => {
      const span = known.get(proofId);
      if (!span) throw new AppError('NOT_FOUND', 'One of these proofs is not here; load the page again.');
      if (span.outOfDate)
        throw new AppError('NOT_READY', 'One of these maps was measured from an earlier light mesh; extract and prove it again.');
      return span.settings;
    });
    const [first] = chosen;
    if (chosen.some((s) => s.fromLevel !== first.fromLevel || s.uv !== first.uv || s.boundary !== first.boundary))
      throw new AppError('BAD_OPTION', 'These maps start from different light meshes; put those of one level into one delivery.');
    await this.needs.delivering(request.proofIds);
    const job = await this.db.sequelize.transaction(async (transaction) => {
      const title = `Deliver ${titleOf(asset)}`;
      const row = await jobs.create({ kind: 'delivery', title, assetId }, { ...request, assetId }, transaction);
      await deliveries.reserve(assetId, row.id, (version) => deliveryName(titleOf(asset), version), transaction);
      return row;
    });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }
}

const LEVEL_EDITS: Readonly<Record<LevelEditRequest['op'], string>> = {
  add: 'One more level',
  project: 'The next level',
  drop: 'One level less',
  recover: 'Coarser levels',
  settle: 'Settle the base',
  brush: 'The brush on the finest level',
};

/** @throws AppError CONFLICT */
function requireLevels({ stackKind, levelList, sculptHash }: AssetDetail, edit: LevelEditRequest): void {
  const refuse = (message: string): never => {
    throw new AppError('CONFLICT', message);
  };
  const { op } = edit;
  if (stackKind === 'free') refuse('This part has a free sculpt and no levels; transfer its detail first.');
  if ((op === 'drop' || op === 'settle' || op === 'brush') && levelList.length < 2)
    refuse('This part has one level only; add levels, or bring its others in, first.');
  const wants = op === 'project' || (op === 'brush' && edit.strokes.some(({ tool }) => needsSculpt(tool)));
  if (wants && sculptHash === null) refuse('These levels were not made from a free sculpt, so there is nothing to project onto.');
}

const inWords = (words: readonly string[]): string => words.join(', ').replace(/, ([^,]*)$/, ' and $1');

/** @throws AppError NO_TILE */
function tilesOf({ tiles, name }: AssetDetail, asked: readonly number[] | null): readonly number[] {
  if (asked === null) return tiles;
  const strange = asked.filter((tile) => !tiles.includes(tile));
  if (strange.length > 0) throw new AppError('NO_TILE', `Tile ${strange[0]} has no islands; ${name} uses ${inWords(tiles.map(String))}.`);
  return [...new Set(asked)].sort((a, b) => a - b);
}

/** @throws AppError BAD_OPTION where a map of this kind cannot be stored so; InvalidInputError BAD_OPTION for axes that its frame does not have */
function checkEncoding({ kind, frame, vectorFrame }: ExtractSettings, encoding: EncodingSettings): void {
  const { fileType, depth, keepBlue, axes, each } = encoding;
  if (!LEGAL_DEPTHS[fileType].includes(depth))
    throw new AppError('BAD_OPTION', `A ${fileType} file cannot hold depth ${depth}; it takes ${LEGAL_DEPTHS[fileType].join(', ')}.`);
  if (holdsDirections(kind) && frame === 'object' && !keepBlue)
    throw new AppError('BAD_OPTION', 'Blue cannot be rebuilt in object space; keep it.');
  if (!hasAxes(kind) && (axes !== '' || each !== null))
    throw new AppError('BAD_OPTION', 'Only a vector map has an axis order and three ranges; leave them out.');
  if (axes !== '') parseAxes(axes, axisLetters(vectorFrame));
}

/** Refuses an encoding that would keep nothing of what was measured; where channels have ranges of their own, the job looks at each.
 *  @throws AppError BAD_OPTION */
function requireRange(fields: readonly FieldRow[], encoding: EncodingSettings): void {
  const known = fields.flatMap(({ info: { min, max } }) => (min === null || max === null ? [] : [[min, max] as const]));
  if (known.length === 0 || encoding.each !== null) return;
  const problem = problemOf([Math.min(...known.map((k) => k[0])), Math.max(...known.map((k) => k[1]))], encoding);
  if (problem !== null) throw new AppError('BAD_OPTION', problem);
}
