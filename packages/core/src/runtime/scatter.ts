/** Another one each time a program starts: files cannot be made whose values all fall into one slot of a table. Only times depend on it: what stands
 *  in a table is numbered by the order in which it came. */
const SEED = Math.floor(Math.random() * 2 ** 32) | 0;

/** A slot's number for three whole numbers of 32 bits, of which any bits may be taken (the mixing of MurmurHash3 by Appleby, public domain). */
export function scatter(a: number, b: number, c: number): number {
  let h = mixIn(mixIn(mixIn(SEED, a), b), c);
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

function mixIn(h: number, word: number): number {
  const k = Math.imul(word, 0xcc9e2d51);
  const turned = h ^ Math.imul((k << 15) | (k >>> 17), 0x1b873593);
  return (Math.imul((turned << 13) | (turned >>> 19), 5) + 0xe6546b64) | 0;
}
