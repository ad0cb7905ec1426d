import type { AssetDetail, AssetSummary, DeliveryInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import { assetSchema, assetSummarySchema, encodingSchema, extractSettingsSchema, fieldSchema } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import { Op } from 'sequelize';
import type { Database } from '../db/connect';
import type { AssetRow, LevelRow, MeshRow } from '../db/models';
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

/** An asset that an import made. */
export interface NewAsset {
  readonly jobId: string;
  readonly name: string;
  readonly unit: string;
  readonly pictureHash: string;
  readonly stackKind: 'stack' | 'free';
  readonly levels: readonly NewLevel[];
}

interface Placed {
  readonly level: LevelRow;
  readonly mesh: MeshRow;
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

  /** Writes an asset with all its levels. The same job writes only once. */
  async create(productionName: string, asset: NewAsset, transaction: Transaction): Promise<string> {
    const { Asset, Part, Stack, Mesh, Level } = this.db.models;
    const known = await Asset.findOne({ where: { jobId: asset.jobId }, transaction });
    if (known) return known.id;
    const productionId = await this.production(productionName, transaction);
    const { id } = await Asset.create(
      { productionId, name: asset.name, unit: asset.unit, pictureHash: asset.pictureHash, jobId: asset.jobId },
      { transaction },
    );
    const part = await Part.create({ assetId: id, name: asset.name }, { transaction });
    const stack = await Stack.create({ partId: part.id, kind: asset.stackKind }, { transaction });
    for (const [level, l] of asset.levels.entries()) {
      const mesh = await Mesh.create(meshOf(l), { transaction });
      await Level.create({ stackId: stack.id, level, meshId: mesh.id, detail: l.detail }, { transaction });
    }
    return id;
  }

  async list(): Promise<AssetSummary[]> {
    const rows = await this.db.models.Asset.findAll({ order: [['createdAt', 'ASC']] });
    return Promise.all(rows.map(async (row) => assetSummarySchema.parse(await this.summary(row, (await this.levelsOf(row.id)).levels))));
  }

  async detail(id: string): Promise<AssetDetail> {
    const row = await this.db.models.Asset.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
    const { part, stack, levels } = await this.levelsOf(id);
    const low = levels[0].mesh;
    const top = levels[levels.length - 1].mesh;
    return assetSchema.parse({
      ...(await this.summary(row, levels)),
      part: { id: part.id, name: part.name },
      stackKind: stack.kind,
      levelList: levels.map(({ level, mesh }) => ({
        level: level.level,
        meshId: mesh.id,
        points: mesh.points,
        faces: mesh.faces,
        detail: level.detail,
        colours: mesh.colours,
      })),
      diagonal: top.diagonal,
      tiles: low.tiles,
      findings: low.findings,
      spans: await this.spansOf(part.id, levels),
      deliveries: await this.deliveriesOf(id),
    });
  }

  private async summary(row: AssetRow, levels: readonly Placed[]): Promise<AssetSummary> {
    const production = await this.db.models.Production.findByPk(row.productionId);
    return {
      id: row.id,
      name: row.name,
      production: production?.name ?? '',
      unit: row.unit as AssetSummary['unit'],
      lowFaces: levels[0].mesh.faces,
      topFaces: levels[levels.length - 1].mesh.faces,
      levels: levels.length,
      pictureHash: row.pictureHash,
      createdAt: row.createdAt.toISOString(),
    };
  }

  private async levelsOf(assetId: string) {
    const { Part, Stack, Level, Mesh } = this.db.models;
    const part = await Part.findOne({ where: { assetId }, rejectOnEmpty: true });
    const stack = await Stack.findOne({ where: { partId: part.id }, rejectOnEmpty: true });
    const rows = await Level.findAll({ where: { stackId: stack.id }, order: [['level', 'ASC']] });
    const meshes = new Map((await Mesh.findAll({ where: { id: rows.map((l) => l.meshId) } })).map((m) => [m.id, m]));
    return { part, stack, levels: rows.map((level) => ({ level, mesh: meshes.get(level.meshId) as MeshRow })) };
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

  /** Puts a new state of the light mesh into the stack; the earlier one stays in the database. */
  async replaceLow(assetId: string, low: NewLevel, transaction: Transaction): Promise<void> {
    const { Mesh, Level } = this.db.models;
    const { stack } = await this.levelsOf(assetId);
    const mesh = await Mesh.create(meshOf(low), { transaction });
    await Level.update({ meshId: mesh.id }, { where: { stackId: stack.id, level: 0 }, transaction });
  }

  async mesh(id: string): Promise<MeshRow> {
    const row = await this.db.models.Mesh.findByPk(id);
    if (row === null) throw new AppError('NOT_FOUND', 'That mesh is not here; load the page again.');
    return row;
  }

  /** Whoever changes what a part has measured waits here for the others. */
  async lockPart(partId: string, transaction: Transaction): Promise<void> {
    await this.db.models.Part.findByPk(partId, { transaction, lock: transaction.LOCK.UPDATE });
  }

  async assetOfPart(partId: string): Promise<string> {
    const part = await this.db.models.Part.findByPk(partId);
    if (part === null) throw new AppError('NOT_FOUND', 'That part is not here; go back to the list.');
    return part.assetId;
  }
}
