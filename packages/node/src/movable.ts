/** Buffers of an answer that can be moved to another thread instead of copied: of arrays that fill theirs, at any depth. What answered must not
 *  use them any more. */
export function movable(answer: unknown, found = new Set<ArrayBuffer>()): ArrayBuffer[] {
  if (ArrayBuffer.isView(answer)) {
    // a part of a buffer is copied: the rest may belong to somebody else, as in Node's pool of small buffers
    if (answer.buffer instanceof ArrayBuffer && answer.byteLength === answer.buffer.byteLength) found.add(answer.buffer);
  } else if (typeof answer === 'object' && answer !== null) for (const value of Object.values(answer)) movable(value, found);
  return [...found];
}
