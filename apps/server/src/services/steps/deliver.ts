import type { DeliverRequest, JobInfo } from '@estampe/contracts';
import { titleOf } from '@estampe/contracts';
import { deliveryName } from '@estampe/delivery';
import { AppError } from '../../http/app-error';
import { toJobInfo } from '../../repositories/jobs';
import type { StepPorts } from './order';

/** What is asked for where maps are handed over. */
export class DeliverStep {
  constructor(private readonly ports: StepPorts) {}

  /** Packs proven maps of one part with their light mesh into the asset's next version. */
  async deliver(assetId: string, partId: string | null, request: DeliverRequest): Promise<JobInfo> {
    const { assets, jobs, deliveries } = this.ports;
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
    await this.ports.needs.delivering(request.proofIds);
    const job = await this.ports.db.sequelize.transaction(async (transaction) => {
      const title = `Deliver ${titleOf(asset)}`;
      const row = await jobs.create({ kind: 'delivery', title, assetId }, { ...request, assetId }, transaction);
      await deliveries.reserve(assetId, row.id, (version) => deliveryName(titleOf(asset), version), transaction);
      return row;
    });
    await this.ports.press.enqueue(job);
    return toJobInfo(job);
  }
}
