/** The binary tree's nodes in memory, as floats and as signed integers.
 *
 *  A node is 16 words and holds the boxes of its two children, so that one cache line decides about both:
 *
 *    word   0-2     3-5     6-8     9-11    12      13      14-15
 *           min A   max A   min B   max B   ref A   ref B   unused
 *
 *  A negative ref is a leaf: top bit, 4 bits of count - 1 (bits 27-30), 27 bits of first triangle in leaf order.
 *  Otherwise it is a node index. An only leaf hangs below node 0 as child A; child B is then an empty box. */
export interface BinaryNodes {
  readonly nodes: Float32Array; // 16 N
  readonly refs: Int32Array; // the same memory as `nodes`; signed, so that engines keep it in integer registers
}
export const NODE_WORDS = 16;
export const BOX_WORDS = 6;
/** Where child B's box begins; child A's is at 0. */
export const BOX_B = BOX_WORDS;
export const REF_A = 12;
export const REF_B = 13;

const FIRST_BITS = 27;
const FIRST_MASK = (1 << FIRST_BITS) - 1;
const COUNT_MASK = 15;
const LEAF_BIT = 1 << 31;
export const MAX_TRIANGLES = 1 << FIRST_BITS;

export const isLeaf = (ref: number): boolean => ref < 0;
export const leafRef = (first: number, count: number): number => LEAF_BIT | ((count - 1) << FIRST_BITS) | first;
/** First and last triangle of a leaf, in leaf order. */
export const leafFirst = (ref: number): number => ref & FIRST_MASK;
export const leafLast = (ref: number): number => (ref & FIRST_MASK) + ((ref >>> FIRST_BITS) & COUNT_MASK);
