/** The bytes of rows from their differences (`differencesInto` of exr-write.ts). Values have two bytes or four, so there are as many even places as
 *  odd ones. */
export function fromDifferences(bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(bytes.length);
  const half = bytes.length >> 1;
  // the odd places go on where the even ones end; both are made side by side, for each sum waits for the one before
  let odd = 128;
  for (let i = 0; i < half; i++) odd = (odd + bytes[i] - 128) & 255;
  let even = 128;
  for (let i = 0, o = 0; i < half; i++, o += 2) {
    out[o] = even = (even + bytes[i] - 128) & 255;
    out[o + 1] = odd = (odd + bytes[half + i] - 128) & 255;
  }
  return out;
}
