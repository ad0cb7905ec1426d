import type { EncodingSettings, ExtractSettings } from '@estampe/contracts';
import { extractSettingsSchema } from '@estampe/contracts';
import { axisLetters, hasAxes, holdsDirections, LEGAL_DEPTHS, parseAxes, problemOf } from '@estampe/core';
import type { FieldRow } from '../../db/models';
import { AppError } from '../../http/app-error';
import type { StepPorts } from './order';

/** What is asked for where maps are given their depth, midpoint and scale. */
export class CalibrateStep {
  constructor(private readonly ports: StepPorts) {}

  /** @returns the saved encoding's version @throws AppError CONFLICT when it was changed elsewhere meanwhile */
  async saveEncoding(spanId: string, encoding: EncodingSettings, basedOn: number): Promise<number> {
    const { spans, assets } = this.ports;
    const span = await spans.get(spanId);
    checkEncoding(extractSettingsSchema.parse(span.settings), encoding);
    const version = await spans.saveEncoding(spanId, encoding, basedOn);
    if (version !== basedOn) this.ports.events.send({ type: 'asset', assetId: await assets.assetOfPart(span.partId) });
    return version;
  }
}

/** @throws AppError BAD_OPTION where a map of this kind cannot be stored so; InvalidInputError BAD_OPTION for axes that its frame does not have */
export function checkEncoding({ kind, frame, vectorFrame }: ExtractSettings, encoding: EncodingSettings): void {
  const { fileType, depth, keepBlue, axes, each } = encoding;
  if (!LEGAL_DEPTHS[fileType].includes(depth))
    throw new AppError('BAD_OPTION', `A ${fileType} file cannot hold depth ${depth}; it takes ${LEGAL_DEPTHS[fileType].join(', ')}.`);
  if (holdsDirections(kind) && frame === 'object' && !keepBlue)
    throw new AppError('BAD_OPTION', 'Blue cannot be rebuilt in object space; keep it.');
  if (!hasAxes(kind) && (axes !== '' || each !== null))
    throw new AppError('BAD_OPTION', 'Only a vector map has an axis order and three ranges; leave them out.');
  if (axes !== '') parseAxes(axes, axisLetters(vectorFrame));
}

/** Refuses an encoding that would keep nothing of what was measured; where channels have ranges of their own, the job looks at each.
 *  @throws AppError BAD_OPTION */
export function requireRange(fields: readonly FieldRow[], encoding: EncodingSettings): void {
  const known = fields.flatMap(({ info: { min, max } }) => (min === null || max === null ? [] : [[min, max] as const]));
  if (known.length === 0 || encoding.each !== null) return;
  const problem = problemOf([Math.min(...known.map((k) => k[0])), Math.max(...known.map((k) => k[1]))], encoding);
  if (problem !== null) throw new AppError('BAD_OPTION', problem);
}
