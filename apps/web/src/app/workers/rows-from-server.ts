import type { FieldRows } from '@estampe/core';
import { openFieldRows } from '@estampe/core';
import { browserZlib } from './browser-zlib';

/** Some bytes of a file of the server. @param to exclusive */
export async function part(url: string, from: number, to: number): Promise<Uint8Array> {
  const response = await fetch(url, { headers: { Range: `bytes=${from}-${to - 1}` } });
  if (!response.ok) throw new Error('The field could not be loaded from the server; load the page again.');
  const bytes = new Uint8Array(await response.arrayBuffer());
  return response.status === 206 ? bytes : bytes.subarray(from, to);
}

/** Opens a field to have some of its rows. */
export const rowsAt = (url: string, bytes: number): Promise<FieldRows> =>
  openFieldRows({ bytes, read: (from, to) => part(url, from, to) }, browserZlib);
