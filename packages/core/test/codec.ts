import { deflateSync, inflateSync } from 'node:zlib';
import type { Zlib } from '../src';

export const testZlib: Zlib = {
  deflate: (data) => Promise.resolve(deflateSync(data, { level: 1 })),
  inflate: (data, size) => Promise.resolve(inflateSync(data, { maxOutputLength: size + 64 })),
};
