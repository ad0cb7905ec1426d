import {
  bringInSchema,
  deliverRequestSchema,
  encodingSchema,
  lowAgainSchema,
  mendSchema,
  proveRequestSchema,
  unwrapSchema,
} from '@estampe/contracts';
import * as z from 'zod';

/** What a job carries, by its kind; read again when it is taken up, maybe by another machine. */
export const importPayload = bringInSchema.extend({ production: z.string() });
export const lowPayload = lowAgainSchema.extend({ partId: z.uuid() });
export const unwrapPayload = unwrapSchema.extend({ partId: z.uuid() });
export const mendPayload = z.intersection(mendSchema, z.object({ partId: z.uuid() }));
/** Spans that one pass measures. */
export const extractPayload = z.strictObject({ spanIds: z.array(z.uuid()).min(1) });
export const proofPayload = z.strictObject({ spanId: z.uuid(), encoding: encodingSchema, ...proveRequestSchema.shape });
export const studyPayload = z.strictObject({ proofId: z.uuid() });
export const deliveryPayload = deliverRequestSchema.extend({ assetId: z.uuid() });
