/** Bytes of a mesh that the server has. @throws Error in words for the page */
export async function bytesOf(url: string): Promise<Uint8Array> {
  const response = await fetch(url);
  if (!response.ok) throw new Error('The mesh could not be loaded from the server; load the page again.');
  return new Uint8Array(await response.arrayBuffer());
}
