import {
  bringInBody,
  deliverRequestSchema,
  broughtPart,
  encodingSchema,
  islandEditSchema,
  levelEditSchema,
  lowAgainSchema,
  mendSchema,
  proveRequestSchema,
  transferSchema,
  unwrapSchema,
} from '@estampe/contracts';
import * as z from 'zod';

/** What a job carries, by its kind; read again when it is taken up, maybe by another machine. */
export const importPayload = z.preprocess(
  // written by a version that knew one part an asset
  (payload) => (isOlder(payload) ? inParts(payload) : payload),
  bringInBody.omit({ parts: true }).extend({
    production: z.string(),
    part: broughtPart,
    /** Of a new asset: what it will be called inside, so that its parts meet there whichever is ready first. */
    newAssetId: z.uuid().nullable().default(null),
  }),
);
interface Older {
  readonly name: unknown;
  readonly files: unknown;
}
const inParts = ({ files, ...rest }: Older): unknown => ({ ...rest, part: { name: rest.name, files } });
const isOlder = (payload: unknown): payload is Older =>
  typeof payload === 'object' && payload !== null && 'files' in payload && 'name' in payload && !('part' in payload);
export const lowPayload = lowAgainSchema.extend({ partId: z.uuid() });
export const unwrapPayload = unwrapSchema.extend({ partId: z.uuid() });
export const mendPayload = z.intersection(mendSchema, z.object({ partId: z.uuid() }));
export const islandsPayload = z.strictObject({ partId: z.uuid(), edit: islandEditSchema });
export const transferPayload = transferSchema.extend({ partId: z.uuid() });
export const levelsPayload = z.strictObject({ partId: z.uuid(), edit: levelEditSchema });
export const splitPayload = z.strictObject({ partId: z.uuid() });
/** Spans that one pass measures. */
export const extractPayload = z.strictObject({ spanIds: z.array(z.uuid()).min(1) });
export const proofPayload = z.strictObject({ spanId: z.uuid(), encoding: encodingSchema, ...proveRequestSchema.shape });
export const studyPayload = z.strictObject({ proofId: z.uuid() });
export const deliveryPayload = deliverRequestSchema.extend({ assetId: z.uuid() });
