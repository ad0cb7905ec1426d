import { GrowableF32 } from '../runtime/growable';
import { scatter } from '../runtime/scatter';

const NONE = 0xffffffff;

/** Points that stand at exactly the same place become one, numbered by first use: what formats lose that repeat a point for every triangle.
 *  @param places float32[3 N] @returns uint32[N]: the point of each place */
export function weldEqual(places: Float32Array): { positions: Float32Array; points: Uint32Array } {
  const N = places.length / 3;
  let bits = 4;
  while (1 << bits < 2 * N && bits < 30) bits++;
  const mask = (1 << bits) - 1;
  const table = new Uint32Array(1 << bits).fill(NONE);
  const positions = new GrowableF32(Math.ceil(N / 2));
  const points = new Uint32Array(N);
  const words = new Uint32Array(3);
  const values = new Float32Array(words.buffer);
  for (let i = 0; i < N; i++) {
    // + 0 makes the negative zero the other one
    for (let k = 0; k < 3; k++) values[k] = places[3 * i + k] + 0;
    let h = scatter(words[0], words[1], words[2]) & mask;
    let v = table[h];
    while (
      v !== NONE &&
      !(positions.at(3 * v) === values[0] && positions.at(3 * v + 1) === values[1] && positions.at(3 * v + 2) === values[2])
    ) {
      h = (h + 1) & mask;
      v = table[h];
    }
    if (v === NONE) {
      v = table[h] = positions.length / 3;
      for (let k = 0; k < 3; k++) positions.push(values[k]);
    }
    points[i] = v;
  }
  return { positions: positions.finish(), points };
}
