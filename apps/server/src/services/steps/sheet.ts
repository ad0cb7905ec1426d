import type { IslandEditRequest, JobInfo, UnwrapRequest } from '@estampe/contracts';
import { plainName, titleOf } from '@estampe/contracts';
import { AppError } from '../../http/app-error';
import { openGroups } from '../../repositories/assets';
import type { StepPorts } from './order';
import { orderEdit } from './order';

/** What is asked for of the UVs of light meshes, and of their states. */
export class SheetStep {
  constructor(private readonly ports: StepPorts) {}

  /** Gives the light mesh of a part new UVs; maps measured before are out of date, and come back with an undo. */
  async unwrap(assetId: string, partId: string | null, seen: string | null, request: UnwrapRequest): Promise<JobInfo> {
    const asset = await this.ports.assets.detail(assetId, partId);
    await this.ports.needs.unwrapping(asset.part.id);
    return orderEdit(this.ports, asset, { kind: 'unwrap', title: `Unwrap ${titleOf(asset)}`, seen, payload: request });
  }

  /** Places islands of a light mesh anew. */
  async editIslands(partId: string, seen: string | null, edit: IslandEditRequest): Promise<JobInfo> {
    const asset = await this.ports.assets.ofPart(partId);
    await this.ports.needs.unwrapping(partId);
    return orderEdit(this.ports, asset, { kind: 'islands', title: `Place islands of ${titleOf(asset)}`, seen, payload: { edit } });
  }

  async goToState(partId: string, seen: string | null, place: number): Promise<void> {
    this.ports.events.send({ type: 'asset', assetId: await this.ports.lightStates.goToState(partId, place, seen) });
  }

  /** A tile's islands as a picture for painters. @throws AppError NOT_FOUND */
  async layoutImage(partId: string, tile: number, size: number): Promise<{ readonly name: string; readonly png: Uint8Array }> {
    const { assets, blobs, spans } = this.ports;
    const asset = await assets.ofPart(partId);
    const before = await blobs.readShared(await spans.levelMeshHash(partId, 0));
    const png = asset.tiles.includes(tile)
      ? await this.ports.side.ask({ what: 'layout', light: { before, groups: openGroups(asset) }, size, tile })
      : null;
    if (png === null) throw new AppError('NOT_FOUND', `The light mesh has no islands in tile ${tile}.`);
    return { name: `${plainName(titleOf(asset))}-layout-${tile}.png`, png };
  }
}
