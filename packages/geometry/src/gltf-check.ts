import { InvalidInputError, UnsupportedError } from '@estampe/core';
import * as z from 'zod';

/** What of a glTF's JSON is looked at before a library reads it. */
const count = z
  .number()
  .int()
  .min(0)
  .max(2 ** 32);
const numbers = (n: number): z.ZodArray<z.ZodNumber> => z.array(z.number()).length(n);
const glance = z.looseObject({
  asset: z.looseObject({ version: z.string() }),
  extensionsRequired: z.array(z.string()).optional(),
  buffers: z.array(z.looseObject({ uri: z.string().optional(), byteLength: count })).optional(),
  accessors: z.array(z.looseObject({ count, bufferView: count.optional(), sparse: z.looseObject({ count }).optional() })).optional(),
  bufferViews: z.array(z.looseObject({ buffer: count })).optional(),
  meshes: z.array(z.looseObject({ name: z.string().optional() })).optional(),
  materials: z.array(z.looseObject({ name: z.string().optional() })).optional(),
  nodes: z
    .array(
      z.looseObject({
        name: z.string().optional(),
        mesh: count.optional(),
        skin: count.optional(),
        children: z.array(count).optional(),
        matrix: numbers(16).optional(),
        translation: numbers(3).optional(),
        rotation: numbers(4).optional(),
        scale: numbers(3).optional(),
      }),
    )
    .optional(),
  scenes: z.array(z.looseObject({ nodes: z.array(count).optional() })).optional(),
  scene: count.optional(),
});
export type GltfJson = z.infer<typeof glance>;

/** Extensions that change nothing of what is read here, or that the reader applies. */
const HARMLESS = /^(KHR_materials_|KHR_texture_|KHR_lights_|KHR_mesh_quantization$|EXT_texture_)/;
const EMBEDDED = 'data:';

/** @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, BAD_TOPOLOGY; UnsupportedError for what is in other files or compressed */
export function checkGltf(json: unknown, fileBytes: number): GltfJson {
  const parsed = glance.safeParse(json);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    throw new InvalidInputError(
      'NOT_THIS_FORMAT',
      `this is not glTF as it is written down (${issue.path.join('.') || 'the whole'}: ${issue.message}); write the mesh again.`,
    );
  }
  const { asset, extensionsRequired = [], buffers = [], bufferViews = [], accessors = [], nodes = [] } = parsed.data;
  if (!asset.version.startsWith('2.'))
    throw new UnsupportedError('UNSUPPORTED', `this is glTF ${asset.version.slice(0, 8)}; write it as glTF 2.0.`);
  const needed = extensionsRequired.find((e) => !HARMLESS.test(e));
  if (needed !== undefined)
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this glTF needs ${needed.slice(0, 80)}, which is not read; write it without compression or extensions.`,
    );
  const outside = buffers.find((b) => b.uri !== undefined && !b.uri.startsWith(EMBEDDED))?.uri;
  if (outside !== undefined)
    throw new UnsupportedError(
      'UNSUPPORTED',
      `this glTF keeps its points in ${outside.slice(0, 80)}, a file of its own; write it as one GLB file.`,
    );
  const lost = accessors.findIndex((a) => a.bufferView !== undefined && a.bufferView >= bufferViews.length);
  if (lost >= 0)
    throw new InvalidInputError('INDEX_OUT_OF_RANGE', `the values ${lost} of this glTF stand in a part of its data that is not there; write it again.`); // prettier-ignore
  const claimed = buffers.reduce((sum, b) => sum + b.byteLength, 0);
  // accessors without a view are zeros that are only claimed
  const made = accessors.reduce((sum, a) => sum + (a.bufferView === undefined ? a.count : 0), 0);
  if (claimed > fileBytes || made > fileBytes || accessors.some((a) => a.count > fileBytes))
    throw new InvalidInputError(
      'TRUNCATED',
      `this glTF says that it holds more than its ${fileBytes} bytes; it was cut off, so write or copy it again.`,
    );
  requireTree(nodes.map((n) => n.children ?? []));
  return parsed.data;
}

/** Every node has at most one parent, and none is above itself. */
function requireTree(children: readonly (readonly number[])[]): void {
  const parents = new Int32Array(children.length).fill(-1);
  children.forEach((below, parent) => {
    for (const child of below) {
      if (child >= children.length || parents[child] >= 0)
        throw new InvalidInputError(
          'BAD_TOPOLOGY',
          `node ${child} of this glTF ${child >= children.length ? 'is not there' : 'hangs in two places'}; write it again.`,
        );
      parents[child] = parent;
    }
  });
  const seen = new Uint8Array(children.length);
  for (let start = 0; start < children.length; start++) {
    const path: number[] = [];
    for (let n = start; n >= 0 && seen[n] === 0; n = parents[n]) {
      seen[n] = 2;
      path.push(n);
    }
    const stop = path.length > 0 ? parents[path[path.length - 1]] : -1;
    if (stop >= 0 && path.includes(stop))
      throw new InvalidInputError('BAD_TOPOLOGY', `node ${stop} of this glTF hangs under itself; write it again.`);
    for (const n of path) seen[n] = 1;
  }
}
