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
/** A change of a part. */
const ofPart = {
  partId: z.uuid(),
  /** Stamp of the state that it was made from; null in changes asked for by a version that did not keep it. */
  madeFrom: z.string().nullable().default(null),
  /** A change that waited when this one was made on top of it: then what that one makes is what this one is made from. */
  after: z.uuid().nullable().default(null),
  /** Stamp of what it made, once it is done. */
  madeTo: z.string().nullable().default(null),
};
export const partChange = z.object(ofPart);
export type PartChange = z.infer<typeof partChange>;
export const lowPayload = lowAgainSchema.extend(ofPart);
export const unwrapPayload = unwrapSchema.extend(ofPart);
export const mendPayload = z.intersection(mendSchema, partChange);
export const islandsPayload = z.strictObject({ ...ofPart, edit: islandEditSchema });
export const transferPayload = transferSchema.extend(ofPart);
export const levelsPayload = z.strictObject({ ...ofPart, edit: levelEditSchema });
export const splitPayload = z.strictObject(ofPart);
/** Spans that one pass measures. */
export const extractPayload = z.strictObject({ spanIds: z.array(z.uuid()).min(1) });
export const proofPayload = z.strictObject({ spanId: z.uuid(), encoding: encodingSchema, ...proveRequestSchema.shape });
export const studyPayload = z.strictObject({ proofId: z.uuid() });
export const deliveryPayload = deliverRequestSchema.extend({ assetId: z.uuid() });
