import type { BringIn, EncodingSettings, ExtractSettings, JobInfo, ProveRequest } from '@estampe/contracts';
import { LEGAL_DEPTHS } from '@estampe/core';
import type { Database } from '../db/connect';
import type { Assets } from '../repositories/assets';
import type { Blobs } from '../repositories/blobs';
import type { Jobs } from '../repositories/jobs';
import { toJobInfo } from '../repositories/jobs';
import type { Spans } from '../repositories/spans';
import { AppError } from '../http/app-error';
import type { Press } from './press';

/** Where assets go that a user brings in. */
const OWN_PRODUCTION = 'Your sculpts';

/** What a user can ask for; each request is checked here, then becomes a job. */
export class Studio {
  constructor(
    private readonly db: Database,
    private readonly blobs: Blobs,
    private readonly assets: Assets,
    private readonly spans: Spans,
    private readonly jobs: Jobs,
    private readonly press: Press,
  ) {}

  async bringIn(request: BringIn, production = OWN_PRODUCTION): Promise<JobInfo> {
    for (const file of request.files)
      if ((await this.blobs.find(file.hash)) === null) throw new AppError('NOT_FOUND', `${file.name} has not arrived; drop it again.`);
    const job = await this.jobs.create({ kind: 'import', title: `Bring in ${request.name}` }, { ...request, production });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  /** Makes a span of a part and sends it to be measured. */
  async extract(assetId: string, settings: ExtractSettings): Promise<JobInfo> {
    const asset = await this.assets.detail(assetId);
    const levels = asset.levelList.length;
    if (settings.fromLevel === settings.toLevel)
      throw new AppError('SAME_LEVEL', 'From and to are the same level, so the map would be empty; drag the span to a higher rung.');
    if (settings.fromLevel > settings.toLevel)
      throw new AppError(
        'BAD_OPTION',
        'The span runs downwards; a map measures from the lighter level to the finer one, so turn it round.',
      );
    if (settings.toLevel >= levels)
      throw new AppError('BAD_OPTION', `This asset has the levels 0 to ${levels - 1}; choose the span among them.`);
    if (asset.tiles.length === 0)
      throw new AppError('NO_UVS', 'The light mesh has no UVs in a numbered tile; unwrap it and bring it in again.');
    const job = await this.db.sequelize.transaction(async (transaction) => {
      const spanId = await this.spans.create(asset.part.id, settings, transaction);
      const title = `Extract ${asset.name}, levels ${settings.fromLevel} to ${settings.toLevel}`;
      return this.jobs.create({ kind: 'extract', title, assetId, spanId }, { spanId }, transaction);
    });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }

  async saveEncoding(spanId: string, encoding: EncodingSettings): Promise<void> {
    await this.spans.get(spanId);
    checkDepth(encoding);
    await this.spans.saveEncoding(spanId, encoding);
  }

  /** Writes the map with an encoding and proves the written file. */
  async prove(spanId: string, encoding: EncodingSettings, request: ProveRequest): Promise<JobInfo> {
    const span = await this.spans.get(spanId);
    if ((await this.spans.fields(spanId)).length === 0)
      throw new AppError('NOT_READY', 'This span has not been extracted yet; extract it first.');
    await this.saveEncoding(spanId, encoding);
    const assetId = await this.assets.assetOfPart(span.partId);
    const { name } = await this.assets.detail(assetId);
    const title = `Prove ${name}, ${encoding.depth}${/\d/.test(encoding.depth) ? ' bit' : ''}`;
    const job = await this.jobs.create({ kind: 'proof', title, assetId, spanId }, { spanId, encoding, ...request });
    await this.press.enqueue(job);
    return toJobInfo(job);
  }
}

function checkDepth({ fileType, depth }: EncodingSettings): void {
  if (!LEGAL_DEPTHS[fileType].includes(depth))
    throw new AppError('BAD_OPTION', `A ${fileType} file cannot hold depth ${depth}; it takes ${LEGAL_DEPTHS[fileType].join(', ')}.`);
}
