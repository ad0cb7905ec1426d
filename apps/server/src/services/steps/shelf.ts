import type { ChangeRow, StorageInfo } from '@estampe/contracts';
import type { StepPorts } from './order';

/** What is asked for of assets as a whole: names, removing, storage. */
export class Shelf {
  constructor(private readonly ports: StepPorts) {}

  /** Renames, removes or brings back an asset; what is on the press for it goes on. */
  async changeAsset(id: string, change: ChangeRow): Promise<void> {
    await this.ports.assets.changeAsset(id, change);
    this.ports.events.send({ type: 'asset', assetId: id });
  }
  async changePart(id: string, change: ChangeRow): Promise<void> {
    this.ports.events.send({ type: 'asset', assetId: await this.ports.assets.changePart(id, change) });
  }

  /** Frees what nobody needs any more. @returns what it was */
  async freeStorage(): Promise<StorageInfo> {
    const { freed, assetIds } = await this.ports.storedData.free();
    for (const assetId of assetIds) this.ports.events.send({ type: 'asset', assetId });
    return freed;
  }
}
