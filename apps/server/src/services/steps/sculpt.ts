import type { AssetDetail, BringIn, JobInfo, LowAgain, MendRequest, SetGroups } from '@estampe/contracts';
import { titleOf } from '@estampe/contracts';
import { MENDS } from '@estampe/core';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { JobRow } from '../../db/models';
import { AppError } from '../../http/app-error';
import { toJobInfo } from '../../repositories/jobs';
import type { StepPorts } from './order';
import { order, orderEdit, requireUpload } from './order';

/** Where assets go that a user brings in. */
const OWN_PRODUCTION = 'Your sculpts';

/** What is asked for where sculpts are brought in and looked over. */
export class SculptStep {
  constructor(private readonly ports: StepPorts) {}

  /** Makes a new asset, or further parts of an asset, of uploaded files: one job a part, so that one bad file holds up none but its own.
   *  @returns the first of them */
  async bringIn(request: BringIn, production = OWN_PRODUCTION): Promise<JobInfo> {
    const { parts, ...about } = request;
    for (const file of parts.flatMap((part) => part.files)) await requireUpload(this.ports, file);
    const asset = about.assetId === null ? null : await this.ports.assets.detail(about.assetId, about.partId);
    if (asset !== null && asset.unit !== about.unit)
      throw new AppError('BAD_OPTION', `${asset.name} is in ${asset.unit}; write this part in the same unit, then bring it in.`);
    for (const part of parts) await this.ports.needs.reading(part.files.map(({ hash }) => hash));
    if (about.partId !== null) return this.complete(asset, request, production);
    const newAssetId = asset === null ? randomUUID() : null;
    const rows = await this.ports.db.sequelize.transaction(async (transaction) => {
      const made: JobRow[] = [];
      for (const part of parts) {
        if (asset !== null) await this.requireFree(asset, part.name, transaction);
        const whole = asset?.name ?? (parts.length > 1 ? about.name : null);
        const title = whole === null ? `Bring in ${part.name}` : `Bring in ${part.name} of ${whole}`;
        made.push(await this.ports.jobs.create({ kind: 'import', title, assetId: about.assetId }, { ...about, part, newAssetId, production }, transaction)); // prettier-ignore
      }
      return made;
    });
    for (const row of rows) await this.ports.press.enqueue(row);
    return toJobInfo(rows[0]);
  }

  /** Two people who bring in a part of one name at the same moment come one after the other. */
  private async requireFree(asset: AssetDetail, name: string, transaction: Transaction): Promise<void> {
    await this.ports.assets.lockForPart(asset.id, name, transaction);
    if (await this.ports.jobs.isComing(asset.id, name, transaction))
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
    return order(this.ports, { kind: 'import', title, assetId: asset.id }, payload);
  }

  /** Brings a light mesh in again, whose points may have moved. */
  async bringLowAgain(assetId: string, partId: string | null, seen: string | null, request: LowAgain): Promise<JobInfo> {
    const asset = await this.ports.assets.detail(assetId, partId);
    await requireUpload(this.ports, request);
    await this.ports.needs.reading([request.hash]);
    return orderEdit(this.ports, asset, {
      kind: 'low',
      title: `Bring in the light mesh of ${titleOf(asset)} again`,
      seen,
      payload: request,
    });
  }

  /** Mends the light mesh of a part. What changes its points or polygons would leave the levels of a stack behind.
   *  @throws AppError CONFLICT */
  async mend(assetId: string, partId: string | null, seen: string | null, request: MendRequest): Promise<JobInfo> {
    const asset = await this.ports.assets.detail(assetId, partId);
    if (asset.stackKind === 'stack' && MENDS[request.mend].changesSurface)
      throw new AppError(
        'CONFLICT',
        'The levels of this stack are refined from the light mesh as it is; mend it where it was made, and bring the stack in anew.',
      );
    await this.ports.needs.unwrapping(asset.part.id);
    return orderEdit(this.ports, asset, { kind: 'mend', title: `Mend ${titleOf(asset)}`, seen, payload: request });
  }

  /** Makes a part of each group of a part's light mesh. */
  async split(partId: string, seen: string | null): Promise<JobInfo> {
    const asset = await this.ports.assets.ofPart(partId);
    await this.ports.needs.splitting(partId);
    return orderEdit(this.ports, asset, { kind: 'split', title: `Split ${titleOf(asset)} along its groups`, seen, payload: {} });
  }

  /** Gives the faces of a light mesh other groups; maps stay current. */
  async setGroups(partId: string, seen: string | null, request: SetGroups): Promise<void> {
    this.ports.events.send({ type: 'asset', assetId: await this.ports.lightStates.setGroups(partId, request, seen) });
  }
}
