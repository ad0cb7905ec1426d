import type { AssetDetail, AssetSummary, DeliveryInfo, MeasureRequest, PartInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import { assetSchema, assetSummarySchema, encodingSchema, extractSettingsSchema, fieldSchema, measureSchema } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import { Op } from 'sequelize';
import type { Database } from '../db/connect';
import type { AssetRow, LevelRow, MeshRow, PartRow, StackRow } from '../db/models';
import { AppError } from '../http/app-error';

/** One level on its way into the database. */
export interface NewLevel {
  readonly meshHash: string;
  readonly points: number;
  readonly faces: number;
  readonly diagonal: number;
  readonly tiles: readonly number[];
  readonly findings: MeshRow['findings'];
  readonly detail: number | null;
  readonly colours: boolean;
}

/** A light mesh with its sculpt that an import made. */
export interface NewPart {
  readonly jobId: string;
  readonly name: string;
  readonly pictureHash: string;
  readonly stackKind: 'stack' | 'free';
  readonly levels: readonly NewLevel[];
}

interface Placed {
  readonly level: LevelRow;
  readonly mesh: MeshRow;
}
interface PlacedPart {
  readonly part: PartRow;
  readonly stack: StackRow;
  /** From the light mesh up. */
  readonly levels: readonly Placed[];
}

const meshOf = ({ meshHash, points, faces, diagonal, tiles, findings, colours }: NewLevel) => ({
  hash: meshHash, points, faces, diagonal, tiles: [...tiles], findings, colours,
}); // prettier-ignore

/** Productions, assets, parts and their level stacks. */
export class Assets {
  constructor(private readonly db: Database) {}

  async production(name: string, transaction?: Transaction): Promise<string> {
    const [row] = await this.db.models.Production.findOrCreate({
      where: { name },
      defaults: { name },
      ...(transaction ? { transaction } : {}),
    });
    return row.id;
  }

  count(): Promise<number> {
    return this.db.models.Asset.count();
  }

  /** Writes a new asset with its first part. The same job writes only once. @returns the asset's id */
  async create(production: string, unit: string, part: NewPart, transaction: Transaction): Promise<string> {
    const known = await this.madeBy(part.jobId, transaction);
    if (known !== null) return known;
    const productionId = await this.production(production, transaction);
    const { id } = await this.db.models.Asset.create({ productionId, name: part.name, unit }, { transaction });
    await this.writePart(id, part, transaction);
    return id;
  }

  /** Writes one more part of an asset. The same job writes only once. */
  async addPart(assetId: string, part: NewPart, transaction: Transaction): Promise<void> {
    if ((await this.madeBy(part.jobId, transaction)) === null) await this.writePart(assetId, part, transaction);
  }

  private async madeBy(jobId: string, transaction: Transaction): Promise<string | null> {
    return (await this.db.models.Part.findOne({ where: { jobId }, transaction }))?.assetId ?? null;
  }

  private async writePart(assetId: string, { levels, stackKind, ...rest }: NewPart, transaction: Transaction): Promise<void> {
    const { Part, Stack, Mesh, Level } = this.db.models;
    const part = await Part.create({ assetId, ...rest }, { transaction });
    const stack = await Stack.create({ partId: part.id, kind: stackKind }, { transaction });
    for (const [level, l] of levels.entries()) {
      const mesh = await Mesh.create(meshOf(l), { transaction });
      await Level.create({ stackId: stack.id, level, meshId: mesh.id, detail: l.detail }, { transaction });
    }
  }

  async list(): Promise<AssetSummary[]> {
    const rows = await this.db.models.Asset.findAll({ order: [['createdAt', 'ASC']] });
    return Promise.all(
      rows.map(async (row) => {
        const parts = await this.partsOf(row.id);
        return assetSummarySchema.parse({ ...(await this.summary(row, parts[0])), parts: parts.map(({ part }) => part.name) });
      }),
    );
  }

  /** An asset as it is seen through one of its parts. @param partId null for the first */
  async detail(id: string, partId: string | null = null): Promise<AssetDetail> {
    const row = await this.db.models.Asset.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
    const parts = await this.partsOf(id);
    const open = partId === null ? parts[0] : parts.find(({ part }) => part.id === partId);
    if (open === undefined) throw new AppError('NOT_FOUND', `${row.name} has no such part; choose one of its parts.`);
    return assetSchema.parse({
      ...partInfo(open),
      ...(await this.summary(row, open)),
      part: { id: open.part.id, name: open.part.name },
      parts: parts.map(partInfo),
      findings: open.levels[0].mesh.findings,
      spans: await this.spansOf(open.part.id, open.levels),
      deliveries: await this.deliveriesOf(id),
    });
  }

  private async summary(row: AssetRow, { part, stack, levels }: PlacedPart): Promise<Omit<AssetSummary, 'parts'>> {
    const production = await this.db.models.Production.findByPk(row.productionId);
    return {
      id: row.id,
      name: row.name,
      production: production?.name ?? '',
      unit: row.unit as AssetSummary['unit'],
      stackKind: stack.kind,
      lowFaces: levels[0].mesh.faces,
      topFaces: levels[levels.length - 1].mesh.faces,
      levels: levels.length,
      pictureHash: part.pictureHash,
      createdAt: row.createdAt.toISOString(),
    };
  }

  /** Parts of an asset with their levels, the first that came first. */
  private async partsOf(assetId: string): Promise<PlacedPart[]> {
    const { Part, Stack, Level, Mesh } = this.db.models;
    const parts = await Part.findAll({ where: { assetId }, order: [['createdAt', 'ASC']] });
    return Promise.all(
      parts.map(async (part) => {
        const stack = await Stack.findOne({ where: { partId: part.id }, rejectOnEmpty: true });
        const rows = await Level.findAll({ where: { stackId: stack.id }, order: [['level', 'ASC']] });
        const meshes = new Map((await Mesh.findAll({ where: { id: rows.map((l) => l.meshId) } })).map((m) => [m.id, m]));
        return { part, stack, levels: rows.map((level) => ({ level, mesh: meshes.get(level.meshId) as MeshRow })) };
      }),
    );
  }

  private async spansOf(partId: string, levels: readonly Placed[]): Promise<SpanInfo[]> {
    const { Span, Field, Encoding, Proof, MapFile } = this.db.models;
    const spans = await Span.findAll({ where: { partId }, order: [['createdAt', 'ASC']] });
    const hashes = new Map(levels.map(({ level, mesh }) => [level.level, mesh.hash]));
    return Promise.all(
      spans.map(async (span): Promise<SpanInfo> => {
        const fields = await Field.findAll({ where: { spanId: span.id }, order: [['tile', 'ASC']] });
        const encoding = await Encoding.findOne({ where: { spanId: span.id } });
        const proofs = await Proof.findAll({ where: { spanId: span.id }, order: [['createdAt', 'DESC']], limit: 20 });
        const settings = extractSettingsSchema.parse(span.settings);
        const infos = fields.map((f) => fieldSchema.parse({ id: f.id, tile: f.tile, ...f.info }));
        const changed = (hash: string, level: number): boolean => hash !== '' && hash !== hashes.get(level);
        return {
          id: span.id,
          settings,
          fields: infos,
          outOfDate: infos.some((f) => changed(f.lowHash, settings.fromLevel) || changed(f.sculptHash, settings.toLevel)),
          encoding: encoding === null ? null : encodingSchema.parse(encoding.settings),
          encodingVersion: encoding?.version ?? 0,
          proofs: await Promise.all(
            proofs.map(async (p): Promise<ProofInfo> => {
              const maps = await MapFile.findAll({ where: { proofId: p.id }, order: [['tile', 'ASC']] });
              return {
                id: p.id,
                encoding: encodingSchema.parse(p.encoding),
                outcome: p.outcome,
                worst: p.worst,
                study: p.study,
                meshHash: p.meshHash,
                errorsHash: p.errorsHash,
                seconds: p.seconds,
                createdAt: p.createdAt.toISOString(),
                maps: maps.map(({ id, tile, name, bytes, hash }) => ({ id, tile, name, bytes, hash })),
              };
            }),
          ),
        };
      }),
    );
  }

  private async deliveriesOf(assetId: string): Promise<DeliveryInfo[]> {
    const rows = await this.db.models.Delivery.findAll({
      where: { assetId, zipHash: { [Op.ne]: null } },
      attributes: { exclude: ['manifest'] },
      order: [['version', 'DESC']],
    });
    return rows.map(({ id, version, name, bytes, createdAt }) => ({
      id,
      version,
      name,
      bytes: bytes ?? 0,
      createdAt: createdAt.toISOString(),
    }));
  }

  /** Puts a new state of the light mesh into a part's stack; the earlier one stays in the database. */
  async replaceLow(partId: string, low: NewLevel, transaction: Transaction): Promise<void> {
    const { Mesh, Level, Stack } = this.db.models;
    const stack = await Stack.findOne({ where: { partId }, rejectOnEmpty: true, transaction });
    const mesh = await Mesh.create(meshOf(low), { transaction });
    await Level.update({ meshId: mesh.id }, { where: { stackId: stack.id, level: 0 }, transaction });
  }

  async mesh(id: string): Promise<MeshRow> {
    const row = await this.db.models.Mesh.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That mesh is not here; load the page again.');
    return row;
  }

  /** Keeps how a part is measured. @throws AppError NOT_FOUND */
  async setRecipe(partId: string, recipe: MeasureRequest, transaction?: Transaction): Promise<void> {
    const [changed] = await this.db.models.Part.update({ recipe }, { where: { id: partId }, ...(transaction ? { transaction } : {}) });
    if (changed === 0) throw new AppError('NOT_FOUND', 'That part is not here; go back to the list.');
  }

  /** Whoever changes what a part has measured waits here for the others. */
  async lockPart(partId: string, transaction: Transaction): Promise<void> {
    await this.db.models.Part.findByPk(partId, { transaction, lock: transaction.LOCK.UPDATE });
  }

  /** The asset as it is seen through a part. */
  async ofPart(partId: string): Promise<AssetDetail> {
    return this.detail(await this.assetOfPart(partId), partId);
  }

  async assetOfPart(partId: string): Promise<string> {
    const part = await this.db.models.Part.findByPk(partId);
    if (part === null) throw new AppError('NOT_FOUND', 'That part is not here; go back to the list.');
    return part.assetId;
  }
}

function partInfo({ part, stack, levels }: PlacedPart): PartInfo {
  return {
    id: part.id,
    name: part.name,
    stackKind: stack.kind,
    levelList: levels.map(({ level, mesh: { id, points, faces, colours } }) => ({
      level: level.level,
      meshId: id,
      points,
      faces,
      detail: level.detail,
      colours,
    })),
    diagonal: levels[levels.length - 1].mesh.diagonal,
    tiles: levels[0].mesh.tiles,
    pictureHash: part.pictureHash,
    recipe: measureSchema.nullable().catch(null).parse(part.recipe),
  };
}
