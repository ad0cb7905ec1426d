import type { AssetDetail, JobInfo, LevelEditRequest, TransferRequest } from '@estampe/contracts';
import { METRES, plainName, titleOf } from '@estampe/contracts';
import type { MeshFormatId } from '@estampe/core';
import { MESH_FORMATS, needsSculpt } from '@estampe/core';
import { AppError } from '../../http/app-error';
import { openGroups } from '../../repositories/assets';
import type { StepPorts } from './order';
import { orderEdit, requireUpload } from './order';

/** What is asked for of levels. */
export class LevelsStep {
  constructor(private readonly ports: StepPorts) {}

  /** Makes a stack of a light mesh and its free sculpt, or of a later light mesh and the finest level, as a part of its own.
   *  @throws AppError CONFLICT where there is no detail to take */
  async transfer(partId: string, seen: string | null, request: TransferRequest): Promise<JobInfo> {
    const asset = await this.ports.assets.ofPart(partId);
    if (request.onto === null && asset.stackKind !== 'free')
      throw new AppError(
        'CONFLICT',
        'Only the detail of a free sculpt can be transferred; this part has its levels already, or no sculpt yet.',
      );
    if (request.onto !== null) {
      if (asset.stackKind === 'alone')
        throw new AppError('CONFLICT', 'This part is one mesh and has no detail to take; bring in its sculpt first.');
      await requireUpload(this.ports, request.onto);
      await this.ports.needs.reading([request.onto.hash]);
    }
    await this.ports.needs.transferring(partId, request.levels);
    return orderEdit(this.ports, asset, { kind: 'transfer', title: `Levels for ${titleOf(asset)}`, seen, payload: request });
  }

  /** Changes the levels of a part. @throws AppError CONFLICT where a level is wanted that is not there, or a sculpt */
  async editLevels(partId: string, seen: string | null, edit: LevelEditRequest): Promise<JobInfo> {
    const asset = await this.ports.assets.ofPart(partId);
    requireLevels(asset, edit);
    await this.ports.needs.editingLevels(partId, edit);
    return orderEdit(this.ports, asset, { kind: 'levels', title: `${LEVEL_EDITS[edit.op]} of ${titleOf(asset)}`, seen, payload: { edit } });
  }

  /** A level as a mesh file. @throws AppError NOT_FOUND */
  async levelFile(partId: string, level: number, format: MeshFormatId): Promise<{ readonly name: string; readonly bytes: Uint8Array }> {
    const { assets, blobs, spans } = this.ports;
    const asset = await assets.ofPart(partId);
    const packed = await blobs.readShared(await spans.levelMeshHash(partId, level));
    const groups = openGroups(asset);
    // a free sculpt has groups of its own
    const light = groups === null || (asset.stackKind === 'free' && level > 0) ? null : { before: await blobs.readShared(await spans.levelMeshHash(partId, 0)), groups }; // prettier-ignore
    const name = `${plainName(titleOf(asset))}-level-${level}${MESH_FORMATS[format].endings[0]}`;
    const scene = { metresPerUnit: METRES[asset.unit], up: asset.up };
    const bytes = await this.ports.side.ask({ what: 'mesh', level: packed, light, name, scene });
    if (bytes === null) throw new Error('a mesh without its file');
    return { name, bytes };
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
