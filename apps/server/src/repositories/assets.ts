import type {
  AssetDetail,
  AssetSummary,
  ChangeRow,
  DeliveryInfo,
  EncodingSettings,
  FieldInfo,
  FindingInfo,
  GroupsInfo,
  MeasureRequest,
  PartInfo,
  ProofInfo,
  SpanInfo,
  StackKind,
  UpAxis,
} from '@estampe/contracts';
import {
  assetSchema,
  assetSummarySchema,
  encodingSchema,
  extractSettingsSchema,
  fieldSchema,
  groupsSchema,
  transferFiguresSchema,
  KIND_WORDS,
  measureSchema,
  proofSchema,
  uvFiguresSchema,
} from '@estampe/contracts';
import type { MapKind } from '@estampe/core';
import { proposedEncoding, unusedName } from '@estampe/core';
import type { Transaction } from 'sequelize';
import { Op, UniqueConstraintError } from 'sequelize';
import type * as z from 'zod';
import type { Database } from '../db/connect';
import type { AssetRow, LevelRow, MeshRow, PartRow, PartStateRow, ProofRow, SpanRow, StackRow } from '../db/models';
import { AppError } from '../http/app-error';
import { stampOf } from './part-stamp';
import { savedRecipe } from './recipes';
import { backToWhole } from './whole-state';

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
  /** Of a light mesh with UVs. */
  readonly uv: MeshRow['uv'];
  /** Of a level that was made from a free sculpt. */
  readonly transfer?: NonNullable<MeshRow['transfer']>;
}

/** A light mesh with its sculpt that an import made. */
export interface NewPart {
  readonly jobId: string;
  readonly name: string;
  readonly pictureHash: string;
  readonly stackKind: StackKind;
  readonly levels: readonly NewLevel[];
  /** The free sculpt that the levels were made from. */
  readonly sculptHash?: string;
}

/** An asset on its way into the database. */
export interface NewAsset {
  readonly id: string;
  readonly name: string;
  readonly unit: string;
  readonly up: UpAxis;
  readonly production: string;
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
  readonly states: readonly PartStateRow[];
}

/** The same as it is found, whole or not. */
interface FoundPart extends Omit<PlacedPart, 'stack' | 'levels'> {
  readonly stack: StackRow | null;
  readonly levels: readonly { readonly level: LevelRow; readonly mesh: MeshRow | undefined }[];
}
/** A light mesh at least, and every level's mesh. */
const isWhole = (found: FoundPart): found is PlacedPart =>
  found.stack !== null && found.levels.length > 0 && found.levels.every(({ level, mesh }, k) => level.level === k && mesh !== undefined);

/** Groups of the light mesh that an asset is seen through, where they were made here. */
export const openGroups = ({ parts, part }: Pick<AssetDetail, 'parts' | 'part'>): GroupsInfo | null =>
  parts.find(({ id }) => id === part.id)?.groups ?? null;

const summaryOf = (row: AssetRow, production: string, { part, stack, levels }: PlacedPart): Omit<AssetSummary, 'parts'> => ({
  ...aboutAsset(row, new Map([[row.productionId, production]])),
  stackKind: stack.kind,
  lowFaces: levels[0].mesh.faces,
  topFaces: levels[levels.length - 1].mesh.faces,
  levels: levels.length,
  pictureHash: part.pictureHash,
});

/** Spans are checked one by one as they are read; of a hundred tiles a second look would take longer than all else. */
const withoutSpans = assetSchema.omit({ spans: true });

const dateOf = (date: Date): string => date.toISOString().slice(0, 16).replace('T', ' ');

/** The columns of a mesh. */
export const meshOf = ({ meshHash, points, faces, diagonal, tiles, findings, colours, uv, transfer }: NewLevel) => ({
  hash: meshHash, points, faces, diagonal, tiles: [...tiles], findings, colours, uv, transfer: transfer ?? null,
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

  /** Makes an asset unless it is there: the first of its parts that is ready makes it. */
  async create({ id, production, ...asset }: NewAsset, transaction: Transaction): Promise<void> {
    const productionId = await this.production(production, transaction);
    await this.db.models.Asset.findOrCreate({ where: { id }, defaults: { id, productionId, ...asset }, paranoid: false, transaction });
  }

  /** Writes parts of an asset that one job made. The same job writes only once.
   *  @param renames whether a name that another part has gets a number; else it is refused */
  async addParts(assetId: string, parts: readonly NewPart[], transaction: Transaction, renames = parts.length > 1): Promise<void> {
    if ((await this.madeBy(parts[0].jobId, transaction)) !== null) return;
    const taken = new Set((await this.db.models.Part.findAll({ where: { assetId }, transaction })).map((part) => part.name));
    const now = Date.now();
    for (const [k, part] of parts.entries()) {
      const name = renames ? unusedName(part.name, taken) : part.name;
      taken.add(name);
      // parts are listed in the order they came
      await this.writePart(assetId, { ...part, name }, new Date(now + k), transaction);
    }
  }

  private async madeBy(jobId: string, transaction: Transaction): Promise<string | null> {
    return (await this.db.models.Part.findOne({ where: { jobId }, paranoid: false, transaction }))?.assetId ?? null;
  }

  private async writePart(
    assetId: string,
    { levels, stackKind, sculptHash, ...rest }: NewPart,
    createdAt: Date,
    transaction: Transaction,
  ): Promise<void> {
    const part = await this.db.models.Part.create({ assetId, ...rest, createdAt }, { transaction }).catch((error: unknown) => {
      throw error instanceof UniqueConstraintError
        ? new AppError('CONFLICT', `This asset has got a part named ${rest.name} meanwhile; bring yours in under another name.`)
        : error;
    });
    const stack = await this.db.models.Stack.create({ partId: part.id, kind: stackKind, sculptHash: sculptHash ?? null }, { transaction });
    await this.writeLevels(stack.id, levels, transaction);
  }

  private async writeLevels(stackId: string, levels: readonly NewLevel[], transaction: Transaction): Promise<void> {
    const { Mesh, Level } = this.db.models;
    for (const [level, l] of levels.entries()) {
      const mesh = await Mesh.create(meshOf(l), { transaction });
      await Level.create({ stackId, level, meshId: mesh.id, detail: l.detail }, { transaction });
    }
  }

  /** Gives a part that was one mesh its others. What it was before is kept as data, but cannot be gone back to: its light mesh may be another.
   *  @throws AppError CONFLICT when somebody completed it meanwhile */
  async completePart(partId: string, { levels, stackKind, pictureHash }: NewPart, transaction: Transaction): Promise<void> {
    const { Part, PartState, Stack, Level } = this.db.models;
    const part = await Part.findByPk(partId, { transaction, lock: transaction.LOCK.UPDATE });
    const stack = await Stack.findOne({ where: { partId }, transaction });
    if (part === null || stack?.kind !== 'alone')
      throw new AppError('CONFLICT', 'This part has got its other mesh meanwhile; bring yours in as a part of its own.');
    await Level.destroy({ where: { stackId: stack.id }, transaction });
    await stack.update({ kind: stackKind }, { transaction });
    await this.writeLevels(stack.id, levels, transaction);
    await PartState.destroy({ where: { partId }, transaction });
    await part.update({ statePlace: 0, pictureHash }, { transaction });
  }

  /** All assets, with few questions however many they are. */
  async list(): Promise<AssetSummary[]> {
    const { Asset, Part, Production, Stack, Level, Mesh } = this.db.models;
    const rows = await Asset.findAll({ order: [['createdAt', 'ASC']] });
    const parts = await Part.findAll({ where: { assetId: rows.map((row) => row.id) }, order: [['createdAt', 'ASC']] });
    const firsts = [...new Map([...parts].reverse().map((part) => [part.assetId, part])).values()];
    const stacks = await Stack.findAll({ where: { partId: firsts.map((part) => part.id) } });
    const levels = await Level.findAll({ where: { stackId: stacks.map((stack) => stack.id) }, order: [['level', 'ASC']] });
    const meshes = await Mesh.findAll({ where: { id: levels.map((l) => l.meshId) }, attributes: ['id', 'faces'] });
    const productions = new Map((await Production.findAll()).map(({ id, name }) => [id, name]));
    const faces = new Map(meshes.map((mesh) => [mesh.id, mesh.faces]));
    const summaries = rows.map((row) => {
      const own = parts.filter((part) => part.assetId === row.id);
      const stack = stacks.find(({ partId }) => partId === own.at(0)?.id);
      const counts = levels.filter(({ stackId }) => stackId === stack?.id).map(({ meshId }) => faces.get(meshId));
      // one that cannot be read must not hide the others
      return assetSummarySchema.safeParse({
        ...aboutAsset(row, productions),
        stackKind: stack?.kind,
        parts: own.map((part) => part.name),
        lowFaces: counts.at(0),
        topFaces: counts.at(-1),
        levels: counts.length,
        pictureHash: own.at(0)?.pictureHash,
      }).data;
    });
    return summaries.filter((summary) => summary !== undefined);
  }

  /** An asset as it is seen through one of its parts. What of it cannot be read is left out and named among its findings.
   *  @param partId null for the first */
  async detail(id: string, partId: string | null = null): Promise<AssetDetail> {
    // what does not wait for each other is asked at once: on a busy machine each answer takes its time
    const [row, { parts, said }] = await Promise.all([this.db.models.Asset.findByPk(id), this.wholeParts(id)]);
    if (row === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
    const open = partId === null ? parts.at(0) : parts.find(({ part }) => part.id === partId);
    if (open === undefined && said.length > 0) throw new AppError('NOT_READY', said[0].message);
    if (open === undefined) throw new AppError('NOT_FOUND', `${row.name} has no such part; choose one of its parts.`);
    const [{ spans, unreadable }, production, deliveries] = await Promise.all([
      this.spansOf(open.part.id, open.levels),
      this.db.models.Production.findByPk(row.productionId),
      this.deliveriesOf(id),
    ]);
    const recipe = production?.recipeId == null ? null : await this.db.models.Recipe.findByPk(production.recipeId);
    const about = withoutSpans.parse({
      ...partInfo(open),
      ...summaryOf(row, production?.name ?? '', open),
      part: { id: open.part.id, name: open.part.name },
      parts: parts.map(partInfo),
      findings: [...said, ...unreadable, ...findingsOf(open.levels)],
      deliveries,
      usual: recipe === null ? null : savedRecipe(recipe),
    });
    return { ...about, spans };
  }

  /** Parts of an asset that have all their levels. One that has not goes back to its last state that has; what became of it is said. */
  private async wholeParts(assetId: string): Promise<{ readonly parts: PlacedPart[]; readonly said: FindingInfo[] }> {
    const said: FindingInfo[] = [];
    const say = (message: string): void => {
      said.push({ code: 'unreadable', severity: 'error', count: 1, message, faces: [] });
    };
    const parts: PlacedPart[] = [];
    for (const found of await this.partsOf(assetId)) {
      if (isWhole(found)) {
        parts.push(found);
        continue;
      }
      const { id, name } = found.part;
      const title = await backToWhole(this.db, id);
      const mended = title === null ? undefined : (await this.partsOf(assetId)).find(({ part }) => part.id === id);
      if (mended === undefined || !isWhole(mended))
        say(`${name} has lost its levels and has no state to go back to; remove it and bring it in again.`); // prettier-ignore
      else {
        parts.push(mended);
        say(`${name} had lost its levels and went back to its last whole state, '${title}'; look at it, and do again what came after.`);
      }
    }
    return { parts, said };
  }

  /** Parts of an asset with their levels, the first that came first; some may be broken. */
  private async partsOf(assetId: string): Promise<FoundPart[]> {
    const { Part, PartState, Stack, Level, Mesh } = this.db.models;
    const parts = await Part.findAll({ where: { assetId }, order: [['createdAt', 'ASC']] });
    return Promise.all(
      parts.map(async (part) => {
        const [stack, states] = await Promise.all([
          Stack.findOne({ where: { partId: part.id } }),
          PartState.findAll({ where: { partId: part.id }, order: [['place', 'ASC']] }),
        ]);
        const rows = stack === null ? [] : await Level.findAll({ where: { stackId: stack.id }, order: [['level', 'ASC']] });
        const meshes = new Map((await Mesh.findAll({ where: { id: rows.map((l) => l.meshId) } })).map((m) => [m.id, m]));
        return { part, stack, levels: rows.map((level) => ({ level, mesh: meshes.get(level.meshId) })), states };
      }),
    );
  }

  private async spansOf(partId: string, levels: readonly Placed[]): Promise<{ spans: SpanInfo[]; unreadable: FindingInfo[] }> {
    const { Pass, Span } = this.db.models;
    const rows = await Span.findAll({ include: [{ model: Pass, as: 'pass', where: { partId } }], order: [['createdAt', 'ASC']] });
    const hashes = new Map(levels.map(({ level, mesh }) => [level.level, mesh.hash]));
    const unreadable: FindingInfo[] = [];
    /** What a row says, or null and a word about it. */
    const read = <T>(schema: z.ZodType<T>, value: unknown, what: string, advice: string): T | null => {
      const parsed = schema.safeParse(value);
      if (parsed.success) return parsed.data;
      const { path, message } = parsed.error.issues[0];
      const where = path.length === 0 ? message : `${path.join('.')}: ${message}`;
      unreadable.push({
        code: 'unreadable',
        severity: 'error',
        count: 1,
        message: `${what} cannot be read (${where}); ${advice}.`,
        faces: [],
      });
      return null;
    };
    const spans = await Promise.all(rows.map((row) => this.spanOf(row, hashes, read)));
    return { spans: spans.filter((span) => span !== null), unreadable };
  }

  private async spanOf(
    span: SpanRow,
    hashes: ReadonlyMap<number, string>,
    read: <T>(schema: z.ZodType<T>, value: unknown, what: string, advice: string) => T | null,
  ): Promise<SpanInfo | null> {
    const { Field, Encoding, Proof } = this.db.models;
    const settings = read(extractSettingsSchema, span.settings, `A map of ${dateOf(span.createdAt)}`, 'measure it again');
    if (settings === null) return null;
    const name = `${KIND_WORDS[settings.kind]}, levels ${settings.fromLevel} to ${settings.toLevel}`;
    const [rows, encoding, proofs] = await Promise.all([
      Field.findAll({ where: { spanId: span.id }, order: [['tile', 'ASC']] }),
      Encoding.findOne({ where: { spanId: span.id } }),
      Proof.findAll({ where: { spanId: span.id }, order: [['createdAt', 'DESC']], limit: 20 }),
    ]);
    const fields = rows
      .map((f) => read(fieldSchema, { id: f.id, tile: f.tile, ...f.info }, `Tile ${f.tile} of ${name}`, 'measure it again'))
      .filter((f) => f !== null);
    const infos = await Promise.all(
      proofs.map(async (p) =>
        read(proofSchema, await this.proofOf(p), `The proof of ${name} of ${dateOf(p.createdAt)}`, 'prove the map again'),
      ),
    );
    const changed = (hash: string, level: number): boolean => hash !== '' && hash !== hashes.get(level);
    return {
      id: span.id,
      settings,
      fields,
      outOfDate: fields.some((f) => changed(f.lowHash, settings.fromLevel) || changed(f.sculptHash, settings.toLevel)),
      // ready the moment the first tile is measured; stored when somebody changes or proves it
      encoding:
        encoding === null
          ? proposalFor(settings.kind, fields)
          : read(encodingSchema, encoding.settings, `The encoding of ${name}`, 'set it anew'),
      encodingVersion: encoding?.version ?? 0,
      proofs: infos.filter((p) => p !== null),
    };
  }

  private async proofOf(p: ProofRow): Promise<Record<keyof ProofInfo, unknown>> {
    const maps = await this.db.models.MapFile.findAll({ where: { proofId: p.id }, order: [['tile', 'ASC']] });
    const { id, encoding, outcome, worst, study, meshHash, errorsHash, seconds, createdAt } = p;
    return { id, encoding, outcome, worst, study, meshHash, errorsHash, seconds, createdAt: createdAt.toISOString(), maps: maps.map((m) => ({ id: m.id, tile: m.tile, name: m.name, bytes: m.bytes, hash: m.hash })) }; // prettier-ignore
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

  /** Renames an asset, removes it or brings it back. @throws AppError NOT_FOUND */
  async changeAsset(id: string, { name, was, removed }: ChangeRow): Promise<void> {
    await this.db.sequelize.transaction(async (transaction) => {
      const row = await this.db.models.Asset.findByPk(id, { paranoid: false, transaction, lock: transaction.LOCK.UPDATE });
      if (row === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
      requireName(row.name, name, was);
      if (name !== undefined) await row.update({ name }, { transaction });
      if (removed !== undefined) await (removed ? row.destroy({ transaction }) : row.restore({ transaction }));
    });
  }

  /** The same for a part. @returns its asset's id @throws AppError NOT_FOUND; CONFLICT for a name that another part has, and for the last part */
  async changePart(id: string, { name, was, removed }: ChangeRow): Promise<string> {
    const { Asset, Part } = this.db.models;
    return this.db.sequelize.transaction(async (transaction) => {
      const row = await Part.findByPk(id, { paranoid: false, transaction });
      if (row === null) throw new AppError('NOT_FOUND', 'That part is not here; go back to the list.');
      // two who change the parts of one asset at the same moment come one after the other
      await Asset.findByPk(row.assetId, { paranoid: false, transaction, lock: transaction.LOCK.UPDATE });
      const others = (await Part.findAll({ where: { assetId: row.assetId }, transaction })).filter((part) => part.id !== id);
      if (removed === true && others.length === 0)
        throw new AppError('CONFLICT', `${row.name} is the only part of its asset; remove the asset instead.`);
      requireName((await row.reload({ paranoid: false, transaction })).name, name, was);
      const next = name ?? row.name;
      if (removed !== true && others.some((part) => part.name === next))
        throw new AppError('CONFLICT', `This asset has another part named ${next}; give this one another name.`);
      if (name !== undefined) await row.update({ name }, { transaction });
      if (removed !== undefined) await (removed ? row.destroy({ transaction }) : row.restore({ transaction }));
      return row.assetId;
    });
  }

  /** Whoever gives an asset a part waits here for the others. @throws AppError NOT_FOUND, CONFLICT when it has a part of that name */
  async lockForPart(assetId: string, name: string, transaction: Transaction): Promise<void> {
    const { Asset, Part } = this.db.models;
    const asset = await Asset.findByPk(assetId, { transaction, lock: transaction.LOCK.UPDATE });
    if (asset === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
    if ((await Part.findOne({ where: { assetId, name }, transaction })) !== null)
      throw new AppError('CONFLICT', `${asset.name} has a part named ${name}; give this one another name.`);
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

/** How a map is stored while nobody has said; null before anything of it is measured. */
const proposalFor = (kind: MapKind, fields: readonly FieldInfo[]): EncodingSettings | null =>
  fields.length === 0
    ? null
    : // fields from before the ends of each channel were kept have those of all
      proposedEncoding(kind, fields.map(({ ends, min, max }) => (ends.length > 0 || min === null || max === null ? ends : [{ min, max }]))); // prettier-ignore

/** @throws AppError CONFLICT where somebody gave it another name than the one that was changed */
function requireName(now: string, next: string | undefined, was: string | undefined): void {
  if (next !== undefined && was !== undefined && was !== now && next !== now)
    throw new AppError('CONFLICT', `${was} has been called ${now} meanwhile, so it was left so; name it again if it should be ${next}.`);
}

const aboutAsset = (row: AssetRow, productions: ReadonlyMap<string, string>) => ({
  id: row.id,
  name: row.name,
  production: productions.get(row.productionId) ?? '',
  unit: row.unit as AssetSummary['unit'],
  up: row.up,
  createdAt: row.createdAt.toISOString(),
});

/** Of the light mesh, and what a level above says of faces of its own. */
const findingsOf = (levels: readonly Placed[]): FindingInfo[] => [
  ...levels[0].mesh.findings,
  ...levels
    .slice(1)
    .flatMap(({ level: { level }, mesh }) => mesh.findings.filter((f) => f.level !== undefined).map((f) => ({ ...f, level }))),
];

function partInfo({ part, stack, levels, states }: PlacedPart): PartInfo {
  return {
    id: part.id,
    name: part.name,
    stackKind: stack.kind,
    levelList: levels.map(({ level, mesh: { id, points, faces, colours, transfer } }) => ({
      level: level.level,
      meshId: id,
      points,
      faces,
      detail: level.detail,
      colours,
      ...(transfer == null ? {} : { transfer: transferFiguresSchema.optional().catch(undefined).parse(transfer) }),
    })),
    sculptHash: stack.sculptHash ?? null,
    diagonal: levels[levels.length - 1].mesh.diagonal,
    tiles: levels[0].mesh.tiles,
    pictureHash: part.pictureHash,
    uv: uvFiguresSchema.nullable().catch(null).parse(levels[0].mesh.uv),
    groups: groupsSchema.nullable().catch(null).parse(levels[0].mesh.groups),
    states: states.map(({ place, title }) => ({ place, title })),
    statePlace: part.statePlace,
    stamp: stampOf(levels.map(({ mesh }) => mesh.id)),
    recipe: measureSchema.nullable().catch(null).parse(part.recipe),
  };
}
