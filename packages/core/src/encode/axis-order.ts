import type { Field } from '../raster/field';
import { InvalidInputError } from '../runtime/errors';

/** Which component of a vector goes into one channel, and with which sign. */
export interface AxisSource {
  readonly component: 0 | 1 | 2;
  readonly sign: 1 | -1;
}
/** Sources of R, G and B: each component once. */
export type AxisOrder = readonly [AxisSource, AxisSource, AxisSource];

/** Letters of the components: tangent, bitangent and normal; or the axes of object space. */
export type AxisLetters = 'UVN' | 'XYZ';
export const axisLetters = (frame: string | null): AxisLetters => (frame === 'object' ? 'XYZ' : 'UVN');

const CHANNELS = ['R', 'G', 'B'] as const;
const COMPONENTS = [0, 1, 2] as const;
const SIGNS = [1, -1] as const;

export const PLAIN_ORDER: AxisOrder = [
  { component: 0, sign: 1 },
  { component: 1, sign: 1 },
  { component: 2, sign: 1 },
];

/** `R=+U G=+V B=+N`. */
export const formatAxes = (order: AxisOrder, letters: AxisLetters): string =>
  order.map(({ component, sign }, k) => `${CHANNELS[k]}=${sign > 0 ? '+' : '-'}${letters[component]}`).join(' ');

/** Reads `R=+U G=+V B=+N`, channels in any order, a sign left out counts as plus.
 *  @throws InvalidInputError BAD_OPTION naming what is wrong */
export function parseAxes(text: string, letters: AxisLetters): AxisOrder {
  const bad = (why: string): InvalidInputError =>
    new InvalidInputError('BAD_OPTION', `axes '${text}': ${why}; write for example "${formatAxes(PLAIN_ORDER, letters)}".`, {
      option: 'axes',
    });
  const sources: (AxisSource | undefined)[] = [undefined, undefined, undefined];
  for (const part of text.trim().split(/[\s,]+/)) {
    const found = /^([RGB])=([+-]?)([A-Z])$/i.exec(part);
    if (!found) throw bad(`'${part}' is not a channel with a signed letter`);
    const channel = CHANNELS.findIndex((c) => c === found[1].toUpperCase());
    const component = letters.indexOf(found[3].toUpperCase());
    if (component < 0) throw bad(`this map's components are ${Array.from(letters).join(', ')}, not ${found[3].toUpperCase()}`);
    if (sources[channel]) throw bad(`${CHANNELS[channel]} is named twice`);
    sources[channel] = { component: component as 0 | 1 | 2, sign: found[2] === '-' ? -1 : 1 };
  }
  const [r, g, b] = sources;
  if (!r || !g || !b) throw bad(`${CHANNELS[sources.findIndex((s) => s === undefined)]} is missing`);
  if (new Set([r.component, g.component, b.component]).size < 3) throw bad('a component is used twice');
  return [r, g, b];
}

/** All 48: six permutations with eight choices of signs; the plain one first. */
export function allAxisOrders(): AxisOrder[] {
  const out: AxisOrder[] = [];
  for (const a of COMPONENTS)
    for (const b of COMPONENTS)
      for (const c of COMPONENTS)
        if (a !== b && b !== c && a !== c)
          for (const sa of SIGNS)
            for (const sb of SIGNS)
              for (const sc of SIGNS)
                out.push([
                  { component: a, sign: sa },
                  { component: b, sign: sb },
                  { component: c, sign: sc },
                ]);
  return out;
}

/** Whether an order keeps the handedness of its components: an odd number of exchanges and sign changes mirrors the surface. */
export function isMirrored(order: AxisOrder): boolean {
  const [a, b, c] = order.map((s) => s.component);
  const even = (a + 1) % 3 === b && (b + 1) % 3 === c;
  const signs = order[0].sign * order[1].sign * order[2].sign;
  return (even ? 1 : -1) * signs < 0;
}

/** Components of three channel values. Writes out[0..2]. */
export function fromChannels(out: Float64Array | Float32Array, order: AxisOrder, r: number, g: number, b: number): void {
  out[order[0].component] = order[0].sign * r;
  out[order[1].component] = order[1].sign * g;
  out[order[2].component] = order[2].sign * b;
}

/** The field with its components in the channels' order; coverage is shared, not copied. */
export function orderChannels(field: Field, order: AxisOrder): Field {
  const { values } = field;
  const out = new Float32Array(values.length);
  for (let i = 0; i < values.length; i += 3) for (let k = 0; k < 3; k++) out[i + k] = order[k].sign * values[i + order[k].component];
  return { ...field, values: out };
}
