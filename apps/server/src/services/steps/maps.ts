import type { AssetDetail, JobInfo, MeasureRequest } from '@estampe/contracts';
import { KIND_WORDS, settingsOfKind, titleOf, whySameLevel } from '@estampe/contracts';
import { heeds, MAP_KINDS } from '@estampe/core';
import { AppError } from '../../http/app-error';
import { toJobInfo } from '../../repositories/jobs';
import { inWords } from './in-words';
import type { StepPorts } from './order';

/** What is asked for where maps are measured. */
export class MapsStep {
  constructor(private readonly ports: StepPorts) {}

  /** Makes a span of a part for each map asked for and sends them to be measured in one pass. */
  async extract(assetId: string, openId: string | null, request: MeasureRequest): Promise<JobInfo> {
    const { kinds, tiles: asked, ...settings } = request;
    const { assets, spans, jobs } = this.ports;
    const asset = await assets.detail(assetId, openId);
    const levels = asset.levelList.length;
    if (asset.stackKind === 'alone' && (settings.fromLevel !== settings.toLevel || whySameLevel(settings, kinds) !== null))
      throw new AppError(
        'NOT_READY',
        `${titleOf(asset)} is one mesh, and such a map measures from a light mesh to a finer one; bring its other in, in the step Sculpt.`,
      );
    const empty = whySameLevel(settings, kinds);
    if (empty !== null) throw new AppError('SAME_LEVEL', empty);
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
    await this.ports.needs.measuring(asset, wanted);
    const hashes = {
      lowHash: await spans.levelMeshHash(partId, settings.fromLevel),
      sculptHash: await spans.levelMeshHash(partId, settings.toLevel),
    };
    const job = await this.ports.db.sequelize.transaction(async (transaction) => {
      // two people who start one span at the same moment come one after the other
      await assets.lockPart(partId, transaction);
      await assets.setRecipe(partId, request, transaction);
      const { ids: spanIds, known } = await spans.open(partId, settings, kinds, hashes, transaction);
      const open = await jobs.openExtraction(
        known.filter((id) => id !== null),
        transaction,
      );
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
    await this.ports.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Keeps how a part is measured, for its next pass. */
  async keepRecipe(partId: string, recipe: MeasureRequest): Promise<void> {
    const { assets } = this.ports;
    await assets.setRecipe(partId, recipe);
    this.ports.events.send({ type: 'asset', assetId: await assets.assetOfPart(partId) });
  }
}

/** @throws AppError NO_TILE */
function tilesOf({ tiles, name }: AssetDetail, asked: readonly number[] | null): readonly number[] {
  if (asked === null) return tiles;
  const strange = asked.filter((tile) => !tiles.includes(tile));
  if (strange.length > 0) throw new AppError('NO_TILE', `Tile ${strange[0]} has no islands; ${name} uses ${inWords(tiles.map(String))}.`);
  return [...new Set(asked)].sort((a, b) => a - b);
}
