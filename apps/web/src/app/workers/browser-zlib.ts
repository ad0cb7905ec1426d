import type { Zlib } from '@estampe/core';

const pipe = async (data: Uint8Array, stream: CompressionStream | DecompressionStream): Promise<Uint8Array> =>
  new Uint8Array(await new Response(new Blob([data as BlobPart]).stream().pipeThrough(stream)).arrayBuffer());

/** The core's deflate port in a browser. */
export const browserZlib: Zlib = {
  deflate: (data) => pipe(data, new CompressionStream('deflate')),
  inflate: (data) => pipe(data, new DecompressionStream('deflate')),
};
