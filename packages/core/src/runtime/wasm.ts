/** Bytes of a page of WebAssembly memory. */
export const WASM_PAGE = 65536;
/** What 32 bit addresses reach, in pages. */
export const WASM_MAX_PAGES = 65536;

/** The part of WebAssembly that kernels need; nearly every host has it as a global. */
export interface WasmHost {
  readonly Memory: new (shape: { initial: number; maximum: number; shared: boolean }) => WasmMemory;
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
}
export interface WasmMemory {
  /** Anew after `grow`. */
  readonly buffer: ArrayBufferLike;
  /** @throws RangeError beyond the maximum that it was made with, or where the host does not give that much */
  grow(pages: number): number;
}

/** Null on a host without WebAssembly: plain code is used then. */
export const wasmHost = (): WasmHost | null => (globalThis as { WebAssembly?: WasmHost }).WebAssembly ?? null;

/** The share that shared memory may grow by, where another use of about the same size takes it later. Only addresses are set aside for it. */
const GROWTH = 1.25;

/** Memory that all threads see. @param spare memory that nobody uses any more, taken where it is large enough @throws where the host does not give that much */
export function sharedPages(host: WasmHost, pages: number, spare: WasmMemory | null): WasmMemory {
  if (spare !== null && hasPages(spare, pages)) return spare;
  return new host.Memory({ initial: pages, maximum: Math.min(WASM_MAX_PAGES, Math.ceil(GROWTH * pages)), shared: true });
}

/** Whether memory holds so many pages, grown where it may be. */
export function hasPages(memory: WasmMemory, pages: number): boolean {
  const more = pages - memory.buffer.byteLength / WASM_PAGE;
  try {
    if (more > 0) memory.grow(more);
    return true;
  } catch {
    return false;
  }
}

/** Bytes of a compiled kernel from its text in base 64: the core has neither the browser's nor Node's decoder. */
export function bytesOfText(text: string): Uint8Array {
  const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
  const out: number[] = [];
  let bits = 0;
  let value = 0;
  for (const letter of text) {
    if (letter === '=') break;
    value = (value << 6) | letters.indexOf(letter);
    bits += 6;
    if (bits >= 8) out.push((value >> (bits -= 8)) & 255);
  }
  return Uint8Array.from(out);
}
