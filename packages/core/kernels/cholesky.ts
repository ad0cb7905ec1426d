// Factorises and solves with a sparse matrix of 2 x 2 blocks, in AssemblyScript for WebAssembly SIMD; built by `npm run kernels` into
// src/unwrap/cholesky-wasm.ts. The reference is the plain code in src/unwrap/block-solve.ts: the same sums in the same order, so that both give
// the same numbers, bit by bit. Blocks of the factor are stored by columns, two numbers a vector.

const BLOCK: usize = 32;

/** @param order, place    uint32[N] each: point at a place of the elimination, and back
 *  @param rows, columns    of the matrix; values: three numbers a block
 *  @param rowStart, rowColumns, rowSlots, columnStart, columnRows  the factor's pattern, see BlockSolver
 *  @param L, D             the factor: four numbers a block, and three a diagonal block
 *  @param row              float64[4 N], zero; zero again afterwards
 *  @returns 1, or 0 where the matrix is not positive definite; `row` is not zero then */
export function factorise(
  N: i32,
  order: usize,
  place: usize,
  rows: usize,
  columns: usize,
  values: usize,
  rowStart: usize,
  rowColumns: usize,
  rowSlots: usize,
  columnStart: usize,
  columnRows: usize,
  L: usize,
  D: usize,
  row: usize,
): i32 {
  for (let k: u32 = 0; k < <u32>N; k++) {
    const p: usize = load<u32>(order + 4 * k);
    let uu: f64 = 0;
    let uv: f64 = 0;
    let vv: f64 = 0;
    const last = load<u32>(rows + 4 * p, 4);
    for (let n: usize = load<u32>(rows + 4 * p); n < last; n++) {
      const j = load<u32>(place + 4 * <usize>load<u32>(columns + 4 * n));
      const value = values + 24 * n;
      if (j === k) {
        uu = load<f64>(value);
        uv = load<f64>(value, 8);
        vv = load<f64>(value, 16);
      } else if (j < k) {
        const at = row + BLOCK * <usize>j;
        store<f64>(at, load<f64>(value));
        store<f64>(at, load<f64>(value, 8), 8);
        store<f64>(at, load<f64>(value, 8), 16);
        store<f64>(at, load<f64>(value, 16), 24);
      }
    }
    const end = load<u32>(rowStart + 4 * k, 4);
    for (let i: usize = load<u32>(rowStart + 4 * k); i < end; i++) {
      const j: usize = load<u32>(rowColumns + 4 * i);
      const slot: usize = load<u32>(rowSlots + 4 * i);
      const own = row + BLOCK * j;
      const diagonal = D + 24 * j;
      const d0 = load<f64>(diagonal);
      const d1 = load<f64>(diagonal, 8);
      const d2 = load<f64>(diagonal, 16);
      const a = load<f64>(own) / d0;
      const b = (load<f64>(own, 8) - a * d1) / d2;
      const c = load<f64>(own, 16) / d0;
      const d = (load<f64>(own, 24) - c * d1) / d2;
      v128.store(own, f64x2.splat(0));
      v128.store(own, f64x2.splat(0), 16);
      const aa = f64x2.splat(a);
      const bb = f64x2.splat(b);
      const cc = f64x2.splat(c);
      const dd = f64x2.splat(d);
      let s: usize = load<u32>(columnStart + 4 * j);
      let block = L + BLOCK * s;
      const until = L + BLOCK * slot;
      let rowOf = columnRows + 4 * s;
      for (; block < until; block += BLOCK, rowOf += 4) {
        const at = row + BLOCK * <usize>load<u32>(rowOf);
        const eg = v128.load(block);
        const fh = v128.load(block, 16);
        v128.store(at, f64x2.sub(v128.load(at), f64x2.add(f64x2.mul(aa, eg), f64x2.mul(bb, fh))));
        v128.store(at, f64x2.sub(v128.load(at, 16), f64x2.add(f64x2.mul(cc, eg), f64x2.mul(dd, fh))), 16);
      }
      store<f64>(until, a);
      store<f64>(until, c, 8);
      store<f64>(until, b, 16);
      store<f64>(until, d, 24);
      uu -= a * a + b * b;
      uv -= a * c + b * d;
      vv -= c * c + d * d;
    }
    if (!(uu > 0)) return 0;
    const d0 = sqrt<f64>(uu);
    const d1 = uv / d0;
    const rest = vv - d1 * d1;
    if (!(rest > 0)) return 0;
    const diagonal = D + 24 * <usize>k;
    store<f64>(diagonal, d0);
    store<f64>(diagonal, d1, 8);
    store<f64>(diagonal, sqrt<f64>(rest), 16);
  }
  return 1;
}

/** @param x float64[2 N]: the right-hand side by places of the elimination, then the answer */
export function solve(N: i32, columnStart: usize, columnRows: usize, L: usize, D: usize, x: usize): void {
  for (let k: i32 = 0; k < N; k++) {
    const own = x + 16 * <usize>k;
    const diagonal = D + 24 * <usize>k;
    const u = load<f64>(own) / load<f64>(diagonal);
    const v = (load<f64>(own, 8) - load<f64>(diagonal, 8) * u) / load<f64>(diagonal, 16);
    store<f64>(own, u);
    store<f64>(own, v, 8);
    const uu = f64x2.splat(u);
    const vv = f64x2.splat(v);
    const end = load<u32>(columnStart + 4 * <usize>k, 4);
    for (let s: usize = load<u32>(columnStart + 4 * <usize>k); s < end; s++) {
      const at = x + 16 * <usize>load<u32>(columnRows + 4 * s);
      const block = L + BLOCK * s;
      v128.store(at, f64x2.sub(v128.load(at), f64x2.add(f64x2.mul(v128.load(block), uu), f64x2.mul(v128.load(block, 16), vv))));
    }
  }
  for (let k: i32 = N - 1; k >= 0; k--) {
    const own = x + 16 * <usize>k;
    let u = load<f64>(own);
    let v = load<f64>(own, 8);
    const first: usize = load<u32>(columnStart + 4 * <usize>k);
    // from the last row up, as the plain code does
    for (let s: usize = load<u32>(columnStart + 4 * <usize>k, 4); s > first; s--) {
      const at = x + 16 * <usize>load<u32>(columnRows + 4 * (s - 1));
      const block = L + BLOCK * (s - 1);
      const p = load<f64>(at);
      const q = load<f64>(at, 8);
      u -= load<f64>(block) * p + load<f64>(block, 8) * q;
      v -= load<f64>(block, 16) * p + load<f64>(block, 24) * q;
    }
    const diagonal = D + 24 * <usize>k;
    v = v / load<f64>(diagonal, 16);
    store<f64>(own, (u - load<f64>(diagonal, 8) * v) / load<f64>(diagonal));
    store<f64>(own, v, 8);
  }
}
