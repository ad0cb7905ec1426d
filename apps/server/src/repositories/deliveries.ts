import type { Manifest } from '@estampe/contracts';
import { manifestSchema } from '@estampe/contracts';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import type { DeliveryRow } from '../db/models';
import { AppError } from '../http/app-error';

/** Deliveries of an asset. A version is given once and never again, also when its job fails. */
export class Deliveries {
  constructor(private readonly db: Database) {}

  /** Takes the next version. @param name of folder and zip, from the version */
  async reserve(assetId: string, jobId: string, name: (version: number) => string, transaction: Transaction): Promise<DeliveryRow> {
    // two people delivering at once wait for each other here
    await this.db.models.Asset.findByPk(assetId, { transaction, lock: transaction.LOCK.UPDATE });
    const last = await this.db.models.Delivery.max<number | null, DeliveryRow>('version', { where: { assetId }, transaction });
    const version = (last ?? 0) + 1;
    return this.db.models.Delivery.create({ assetId, jobId, version, name: name(version) }, { transaction });
  }

  async ofJob(jobId: string): Promise<DeliveryRow> {
    const row = await this.db.models.Delivery.findOne({ where: { jobId } });
    if (row === null) throw new AppError('NOT_FOUND', 'That delivery is not here any more; deliver again.');
    return row;
  }

  /** A delivery that has been written. @throws AppError NOT_FOUND */
  async written(id: string): Promise<{ name: string; manifest: Manifest; zipHash: string; sheetHash: string }> {
    const row = await this.db.models.Delivery.findByPk(id);
    if (!row?.zipHash || !row.sheetHash) throw new AppError('NOT_FOUND', 'That delivery is not here; load the page again.');
    return { name: row.name, manifest: manifestSchema.parse(row.manifest), zipHash: row.zipHash, sheetHash: row.sheetHash };
  }

  async write(
    jobId: string,
    delivery: { readonly manifest: Manifest; readonly zipHash: string; readonly sheetHash: string; readonly bytes: number },
    transaction: Transaction,
  ): Promise<void> {
    await this.db.models.Delivery.update(delivery, { where: { jobId, zipHash: null }, transaction });
  }
}
