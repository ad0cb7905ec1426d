import type { EncodingSettings, JobInfo, ProveRequest } from '@estampe/contracts';
import { extractSettingsSchema, KIND_WORDS, titleOf } from '@estampe/contracts';
import { displaces } from '@estampe/core';
import { AppError } from '../../http/app-error';
import { checkEncoding, requireRange } from './calibrate';
import { inWords } from './in-words';
import type { StepPorts } from './order';
import { orderOnce } from './order';

/** What is asked for where maps are proven. */
export class ProofStep {
  constructor(private readonly ports: StepPorts) {}

  /** Writes the map with an encoding and proves the written file. A span without an encoding keeps this one. */
  async prove(spanId: string, encoding: EncodingSettings, request: ProveRequest): Promise<JobInfo> {
    const { spans, assets } = this.ports;
    const span = await spans.get(spanId);
    const fields = await spans.fields(spanId);
    const measured = new Set(fields.map((f) => f.tile));
    if (measured.size === 0) throw new AppError('NOT_READY', 'This span has not been extracted yet; extract it first.');
    const settings = extractSettingsSchema.parse(span.settings);
    checkEncoding(settings, encoding);
    const asset = await assets.ofPart(span.partId);
    const { id: assetId, tiles } = asset;
    const missing = tiles.filter((tile) => !measured.has(tile));
    if (missing.length > 0)
      throw new AppError(
        'NOT_READY',
        `${missing.length === 1 ? 'Tile' : 'Tiles'} ${inWords(missing.map(String))} of this span ${missing.length === 1 ? 'is' : 'are'} not measured yet; extract the rest, then prove the whole.`,
      );
    requireRange(fields, encoding);
    await this.ports.needs.proving(spanId, request.subdivisions);
    if (await spans.keepFirstEncoding(spanId, encoding)) this.ports.events.send({ type: 'asset', assetId });
    const title = `Prove ${titleOf(asset)}, ${KIND_WORDS[settings.kind]}, ${encoding.depth}${/\d/.test(encoding.depth) ? ' bit' : ''}`;
    return orderOnce(this.ports, asset.part.id, { kind: 'proof', title, assetId, spanId }, () =>
      Promise.resolve({ spanId, encoding, ...request }),
    );
  }

  /** Splits a proof's error by cause and sweeps over render subdivisions. */
  async study(proofId: string): Promise<JobInfo> {
    const { spans, assets } = this.ports;
    const proof = await spans.proof(proofId);
    if (!displaces(proof.outcome.kind))
      throw new AppError('BAD_OPTION', 'Only the proof of a map that displaces can be looked into further.');
    const asset = await assets.ofPart((await spans.get(proof.spanId)).partId);
    await this.ports.needs.ofJob({ kind: 'study', payload: { proofId } });
    return orderOnce(
      this.ports,
      asset.part.id,
      { kind: 'study', title: `Look closer at the proof of ${titleOf(asset)}`, assetId: asset.id, spanId: proof.spanId },
      () => Promise.resolve({ proofId }),
    );
  }
}
