import * as z from 'zod';

/** How much is stored, and how much of it nobody needs any more. */
export const storageSchema = z.object({
  /** On disk; room that was freed is used again for what comes. */
  databaseBytes: z.number().int().min(0),
  freeableBytes: z.number().int().min(0),
  /** Assets and parts that were removed a day ago or longer. */
  removed: z.number().int().min(0),
  /** Maps measured on meshes that are not there any more; none that was delivered. */
  outOfDate: z.number().int().min(0),
});
export type StorageInfo = z.infer<typeof storageSchema>;
