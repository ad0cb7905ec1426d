import { randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { access, mkdir, rename, rm, rmdir } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { DeliveredMap, Manifest, MapRecipe, Recipe } from '@estampe/contracts';
import { coreOptions, passOfRecipe, recipeSchema } from '@estampe/contracts';
import type {
  Depth,
  Encoding,
  Field,
  MapConvention,
  PolyMesh,
  RunControl,
  SpanSurfaces,
  TileRasters,
  Tiles,
  VectorFrameKind,
} from '@estampe/core';
import {
  axisLetters,
  diagonalOf,
  displaces,
  exactMidpoint,
  extractTile,
  faceTiles,
  pointCount,
  fieldRecord,
  fitEncoding,
  hasAxes,
  heeds,
  holdsDirections,
  InvalidInputError,
  LEGAL_DEPTHS,
  levelsByCount,
  parseAxes,
  parseBase,
  parseFit,
  PLAIN_ORDER,
  prepareSpanBeside,
  provingBytes,
  refinedFaceCount,
  requireUvs,
  subProgress,
  texelsHeld,
  tileOf,
  TilesByNeed,
  tilesInUse,
} from '@estampe/core';
import type { DeliveredTile, MadeMap, MadeProof, SheetPictures } from '@estampe/delivery';
import { writeMesh } from '@estampe/geometry';
import {
  deliveredMap,
  deliveryName,
  formPicture,
  freeName,
  deliveredScene,
  lowFileName,
  makeMap,
  readMade,
  MANIFEST_FILE,
  manifestBytes,
  manifestOf,
  mapFileName,
  mapPicture,
  proveMade,
  sculptFileName,
  setUpSheet,
  SHEET_FILE,
  zipStream,
} from '@estampe/delivery';
import { meshHash, readInput, requireMemory, sha256, writeOutput } from '@estampe/node';
import * as z from 'zod';
import { readArgs } from '../args';
import type { Context } from '../context';
import { passes } from '../passes';
import type { Command, Outcome } from '../command';
import { KeptFields } from './kept-fields';

const SPEC = { name: 'deliver', positionals: ['RECIPE.json'], options: z.object({ out: z.string().min(1) }) };

/** Makes a versioned folder and zip from a recipe: light mesh, maps, manifest, set-up sheet. Nothing that is there is overwritten. */
export function deliver(argv: readonly string[]): Command {
  const { positionals, options: o } = readArgs(SPEC, argv);
  return {
    common: o,
    async run(context) {
      const [path] = positionals;
      const recipe = await readRecipe(path);
      const from = dirname(path);
      await context.claim({ inputs: [path, resolve(from, recipe.low), resolve(from, recipe.sculpt)] });
      return new Delivery(context, recipe, from, o.out).write();
    },
  };
}

async function readRecipe(path: string): Promise<Recipe> {
  let value: unknown;
  try {
    value = JSON.parse(Buffer.from(await readInput(path)).toString('utf8'));
  } catch (error) {
    if (error instanceof InvalidInputError) throw error;
    throw new InvalidInputError(
      'NOT_THIS_FORMAT',
      `${path}: this is not JSON (${error instanceof Error ? error.message : ''}); mend the recipe.`,
      {
        file: path,
      },
    );
  }
  const parsed = recipeSchema.safeParse(value);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new InvalidInputError('BAD_OPTION', `${path}: ${issue.path.join('.') || 'the recipe'}: ${issue.message}.`, {
    file: path,
    option: issue.path.join('.'),
  });
}

interface Storage {
  readonly depth: Depth;
  readonly fileType: DeliveredMap['fileType'];
  readonly convention: MapConvention;
}

/** Frame that a map of the recipe is written in. */
const frameOf = ({ kind, frame }: MapRecipe): VectorFrameKind | 'none' =>
  hasAxes(kind) ? (frame ?? 'derivative') : holdsDirections(kind) ? (frame ?? 'mikk') : 'none';

/** Depth, file type and conventions of a map. @throws InvalidInputError BAD_OPTION for what its kind cannot have */
function storageOf(map: MapRecipe, at: string): Storage {
  const fileType = map.fileType ?? (map.depth === 'half' || map.depth === 'float' ? 'exr' : 'tif');
  const depth = map.depth ?? (fileType === 'exr' ? 'float' : '16');
  const bad = (message: string, option: string): never => {
    throw new InvalidInputError('BAD_OPTION', `${at}: ${message}`, { option: `${at}.${option}` });
  };
  if (!LEGAL_DEPTHS[fileType].includes(depth))
    bad(`${fileType} cannot hold depth ${depth}; it takes ${LEGAL_DEPTHS[fileType].join(', ')}.`, 'depth');
  const directions = holdsDirections(map.kind);
  if (directions && map.fit !== undefined) bad('normals always run from -1 to 1; leave fit out.', 'fit');
  if (directions && map.frame === 'derivative') bad('normals are written in frame mikk or object.', 'frame');
  if (directions && !map.keepBlue && map.frame === 'object') bad('blue cannot be rebuilt in object space; keep it.', 'keepBlue');
  if (!heeds(map.kind, 'frame') && map.frame !== undefined) bad(`a ${map.kind} map has no frame; leave it out.`, 'frame');
  if (!hasAxes(map.kind) && (map.axes !== undefined || map.ranges === 'each'))
    bad('only a vector map has an axis order and ranges of its own; leave them out.', map.axes === undefined ? 'ranges' : 'axes');
  if (!heeds(map.kind, 'shade') && (map.shade !== undefined || map.strength !== undefined))
    bad('only colours can be darkened; leave shade and strength out.', map.shade === undefined ? 'strength' : 'shade');
  if (map.shade === undefined && map.strength !== undefined) bad('nothing darkens the colours without shade; name it.', 'strength');
  if (map.fit !== undefined) parseFit(map.fit);
  const axes = map.axes === undefined ? PLAIN_ORDER : parseAxes(map.axes, axisLetters(frameOf(map)));
  return { depth, fileType, convention: { green: map.green, keepBlue: map.keepBlue, axes } };
}

function encodingOf(map: MapRecipe, { depth, convention }: Storage, fields: readonly Field[]): Encoding {
  return fitEncoding(fields, {
    kind: map.kind,
    depth,
    fit: map.fit === undefined ? null : parseFit(map.fit),
    midpoint: map.midpoint === 'exact' ? exactMidpoint(depth) : (map.midpoint ?? null),
    scale: map.scale ?? null,
    axes: convention.axes,
    each: map.ranges === 'each',
  });
}

interface Made {
  readonly delivered: DeliveredTile[];
  readonly tiles: readonly WrittenTile[];
  /** What the files of the delivery hold. */
  readonly maps: TileRasters;
  readonly fields: Tiles<Field>;
  readonly encoding: Encoding;
}
interface WrittenTile extends Pick<MadeMap, 'tile' | 'record'> {
  readonly path: string;
}

/** A tolerance of the recipe in scene units: a length, or a share of the diagonal. */
const lengthOf = (tolerance: Recipe['tolerance'], diagonal: number): number | null =>
  tolerance === undefined ? null : typeof tolerance === 'number' ? tolerance : (Number(tolerance.slice(0, -1)) / 100) * diagonal;

class Delivery {
  private readonly entries: { path: string; sha256: string; bytes: number }[] = [];
  private folder = '';
  constructor(
    private readonly context: Context,
    private readonly recipe: Recipe,
    private readonly from: string,
    private readonly out: string,
  ) {}

  async write(): Promise<Outcome> {
    const { recipe, context } = this;
    recipe.maps.forEach((map, i) => {
      storageOf(map, `maps.${i}`);
      parseBase(map.base);
    });
    const low = await context.readMesh(resolve(this.from, recipe.low));
    const sculptPath = resolve(this.from, recipe.sculpt);
    // what goes into the delivery is the whole mesh
    const sculpt = await (recipe.withSculpt ? context.readMesh(sculptPath) : context.readSculpt(sculptPath));
    this.requireMemory(low, sculpt);
    try {
      const version = await this.reserveVersion();
      const name = deliveryName(recipe.asset, version);
      const place = join(this.out, name);
      this.folder = join(this.out, `.${name}.part-${randomUUID()}`);
      try {
        await context.claim({ outputs: [`${place}.zip`] });
        await mkdir(this.folder);
        const manifest = await this.fill(low, sculpt, version);
        await this.zip(name, manifest);
        await rename(this.folder, place);
        return this.outcome(name, manifest);
      } finally {
        await rm(this.folder, { recursive: true, force: true });
        // the reserved place, where nothing came into it
        await rmdir(place).catch(() => undefined);
      }
    } catch (error) {
      if (error instanceof InvalidInputError || !isFileError(error)) throw error;
      throw new InvalidInputError('NOT_FOUND', `${this.out}: cannot be written (${error.message}); check the folder and the space left.`, {
        file: this.out,
      });
    }
  }

  private requireMemory(low: PolyMesh, sculpt: PolyMesh): void {
    const { maps, subdivisions } = this.recipe;
    const { uvs, faceUvs } = requireUvs(low);
    const tiles = tilesInUse(faceTiles(low, uvs, faceUvs)).length;
    const faces = refinedFaceCount(low, subdivisions ?? levelsByCount(low, sculpt) ?? 4);
    for (const { kind, size } of maps) {
      const [width, height] = typeof size === 'number' ? [size, size] : size;
      const needed = provingBytes(
        displaces(kind) ? faces : 0,
        pointCount(sculpt),
        texelsHeld(tiles, width * height, 3),
        3,
        this.context.threads.count,
      );
      requireMemory(needed, `Measuring and proving the ${kind} map`, 'take a smaller size or fewer subdivisions');
    }
  }

  /** Takes the first version after all that are there, as folder or zip, by making its folder: two deliveries at one moment get two versions. */
  private async reserveVersion(): Promise<number> {
    await mkdir(this.out, { recursive: true });
    for (let version = 1; ; version++) {
      const path = join(this.out, deliveryName(this.recipe.asset, version));
      if (await exists(`${path}.zip`)) continue;
      try {
        await mkdir(path);
        return version;
      } catch (error) {
        if (!(await exists(path))) throw error;
      }
    }
  }

  private async put(path: string, bytes: Uint8Array): Promise<{ file: string; sha256: string; bytes: number }> {
    await writeOutput(join(this.folder, path), bytes);
    const entry = { path, sha256: sha256(bytes), bytes: bytes.length };
    this.entries.push(entry);
    return { file: path, sha256: entry.sha256, bytes: entry.bytes };
  }

  private async fill(low: PolyMesh, sculpt: PolyMesh, version: number): Promise<Manifest> {
    const { recipe: r } = this;
    const putMesh = async (name: string, mesh: PolyMesh) =>
      this.put(name, (await writeMesh(mesh, name, { scene: deliveredScene(r.unit, r, r.up) })).bytes);
    const lowFile = await putMesh(lowFileName(r.asset, r.lowLevel, low), low);
    const sculptFile = r.withSculpt ? await putMesh(sculptFileName(r.asset, sculpt), sculpt) : null;
    const maps: DeliveredMap[] = [];
    const pictures: SheetPictures['maps'][number][] = [];
    let span: SpanSurfaces | null = null;
    const groups = passes(r.maps);
    for (const [g, group] of groups.entries()) {
      const share = (k: number): number => (g + k) / groups.length;
      const control = subProgress(this.context.control, share(0), share(1));
      const { pass, kinds } = passOfRecipe(r, group);
      span = await prepareSpanBeside(low, sculpt, coreOptions(pass, kinds), this.context.threads, subProgress(control, 0, 0.2));
      const kept = new KeptFields(`${this.folder}.fields`, span.tiles.length);
      try {
        for (const [i, tile] of span.tiles.entries()) {
          const own = subProgress(control, 0.2 + (0.3 * i) / span.tiles.length, 0.2 + (0.3 * (i + 1)) / span.tiles.length);
          await kept.keep(tile, await extractTile(span, tile, this.context.threads, own));
        }
        for (const [k, map] of group.entries()) {
          const at = (part: number): number => 0.5 + (0.5 * (k + part)) / group.length;
          const storage = storageOf(map, `maps.${r.maps.indexOf(map)}`);
          const made = await this.makeMap(map, storage, span, kept, low, maps, subProgress(control, at(0), at(0.3)));
          const { outcome, mesh } = await this.prove(map, storage, span, made, low, sculpt, subProgress(control, at(0.3), at(1)));
          maps.push(deliveredMap(made.delivered, [span.options.width, span.options.height], storage.fileType, outcome));
          const shown = await tileOf(made.maps, span.tiles[0]);
          pictures.push({ map: await mapPicture(shown), proof: displaces(map.kind) ? await formPicture(mesh, r.up ?? 'y') : null });
        }
      } finally {
        await kept.clear();
      }
    }
    const levels = span?.levels ?? null;
    const manifest = manifestOf({
      asset: r.asset,
      version,
      createdAt: new Date().toISOString(),
      unit: r.unit,
      low,
      lowLevel: r.lowLevel,
      lowFile,
      tiles: span?.tiles ?? [],
      sculpt,
      sculptLevel: levels === null ? null : r.lowLevel + levels,
      sculptFile,
      steps: r.subdivisions ?? levels ?? 4,
      surface: { boundary: r.boundary, uv: r.uv },
      maps,
    });
    await this.put(MANIFEST_FILE, manifestBytes(manifest));
    await this.put(SHEET_FILE, Buffer.from(setUpSheet(manifest, { sculpt: await formPicture(sculpt, r.up ?? 'y'), maps: pictures })));
    return manifest;
  }

  private async makeMap(
    map: MapRecipe,
    storage: Storage,
    span: SpanSurfaces,
    kept: KeptFields,
    low: PolyMesh,
    others: readonly DeliveredMap[],
    control: RunControl,
  ): Promise<Made> {
    const { recipe: r } = this;
    const { depth, fileType, convention } = storage;
    const fields = kept.of(map.kind);
    // a range that clips is found from all values
    const clips = map.fit !== undefined && parseFit(map.fit).kind === 'clip';
    const encoding = encodingOf(map, storage, clips ? await kept.all(map.kind) : kept.extremes(map.kind));
    const toLevel = span.levels === null ? null : r.lowLevel + span.levels;
    const parts = { asset: r.asset, kind: map.kind, fromLevel: r.lowLevel, toLevel, depth, fileType };
    const used = new Set(others.flatMap((m) => m.files.map((f) => f.file)));
    const tiles: WrittenTile[] = [];
    const maps = new TilesByNeed(tiles, async ({ path }) => readMade({ file: await readInput(join(this.folder, path)) }));
    const delivered: DeliveredTile[] = [];
    const lowHash = meshHash(low);
    for (const [i, tile] of span.tiles.entries()) {
      const field = await tileOf(fields, tile);
      const record = fieldRecord(span, map.kind, tile, field, { unit: r.unit, lowHash, colourSpace: map.colourSpace });
      const own = subProgress(control, i / span.tiles.length, (i + 1) / span.tiles.length);
      const { made, raster } = await makeMap({ field, record, texelSizes: kept.texelSizes(tile) }, encoding, convention, fileType, own);
      const file = await this.put(freeName(mapFileName(parts, tile, span.tiles.length), span.options.width, used), made.file);
      await this.put(`${file.file}.json`, made.sidecar);
      tiles.push({ tile, record: made.record, path: file.file });
      maps.hold(tile, raster);
      delivered.push({ record: made.record, figures: made.figures, ...file });
    }
    return { delivered, tiles, maps, fields, encoding };
  }

  private prove(
    map: MapRecipe,
    { convention }: Storage,
    span: SpanSurfaces,
    made: Made,
    low: PolyMesh,
    sculpt: PolyMesh,
    control: RunControl,
  ): Promise<MadeProof> {
    const { recipe: r, context } = this;
    const { boundary, uv } = r;
    return proveMade(
      { low, sculpt, made: made.tiles, maps: made.maps, fields: made.fields },
      {
        encoding: made.encoding,
        convention,
        base: parseBase(map.base),
        surface: { boundary, uv },
        subdivisions: r.subdivisions ?? span.levels ?? 4,
        tolerance: holdsDirections(map.kind) ? (r.normalToleranceDegrees ?? null) : lengthOf(r.tolerance, diagonalOf(sculpt.positions)),
        span: () => span,
      },
      context.threads,
      control,
    );
  }

  private async zip(name: string, manifest: Manifest): Promise<void> {
    const part = join(this.folder, `../.${name}.zip.part-${process.pid}`);
    const entries = this.entries.map(({ path }) => ({ path, open: () => createReadStream(join(this.folder, path)) }));
    try {
      await pipeline(zipStream(name, entries, new Date(manifest.createdAt)), createWriteStream(part));
      await rename(part, join(this.out, `${name}.zip`));
    } finally {
      await rm(part, { force: true });
    }
  }

  private outcome(name: string, manifest: Manifest): Outcome {
    const verdicts = manifest.maps.map((m) => m.proof.report.passed);
    return {
      report: { folder: join(this.out, name), zip: join(this.out, `${name}.zip`), files: this.entries, manifest },
      failed: verdicts.includes(false),
      lines: [
        `${join(this.out, name)} and ${name}.zip: ${this.entries.length} files`,
        ...manifest.maps.map((m) => {
          const { proof } = m;
          const figure =
            proof.kind === 'normal'
              ? proof.report.normalAngle === null
                ? 'nothing to compare with'
                : `mean angle ${proof.report.normalAngle.mean.toPrecision(4)} degrees`
              : proof.kind === 'values'
                ? proof.report.difference === null
                  ? 'nothing covered'
                  : `read back within ${proof.report.difference.max.toPrecision(4)}`
                : `two-way RMS ${proof.report.distance.rms.toPrecision(5)} ${manifest.unit}`;
          const verdict = proof.report.passed === null ? '' : proof.report.passed ? ', good to pull' : ', hold';
          return `  ${basename(m.files[0].file)}: ${figure}${verdict}`;
        }),
      ],
    };
  }
}

const exists = (path: string): Promise<boolean> => access(path).then(() => true, () => false); // prettier-ignore

const isFileError = (error: unknown): error is NodeJS.ErrnoException => error instanceof Error && 'syscall' in error;
