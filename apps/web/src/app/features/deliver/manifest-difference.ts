import type { Manifest } from '@estampe/contracts';

/** One number of the contract that differs between two deliveries. */
export interface Difference {
  readonly what: string;
  readonly before: string;
  readonly after: string;
}

/** Keys that differ between any two deliveries and say nothing. */
const SILENT = new Set(['version', 'createdAt', 'sha256']);

/** Everything in which two manifests differ, in their order; maps are matched by their kind and place among their kind. */
export function manifestDifferences(before: Manifest, after: Manifest): Difference[] {
  const [a, b] = [flat(named(before)), flat(named(after))];
  const keys = [...new Set([...a.keys(), ...b.keys()])];
  return keys.flatMap((what) => {
    const [x, y] = [a.get(what) ?? 'not there', b.get(what) ?? 'not there'];
    return x === y ? [] : [{ what, before: x, after: y }];
  });
}

function named({ maps, ...rest }: Manifest): object {
  const seen = new Map<string, number>();
  const byName = maps.map((map) => {
    const n = (seen.get(map.kind) ?? 0) + 1;
    seen.set(map.kind, n);
    return [n === 1 ? map.kind : `${map.kind} ${n}`, map] as const;
  });
  return { ...rest, ...Object.fromEntries(byName) };
}

/** Leaves of an object by their path in words: `scalar, proof, report, distance, rms`. */
function flat(value: unknown, path: readonly string[] = [], out = new Map<string, string>()): Map<string, string> {
  if (typeof value === 'object' && value !== null) {
    for (const [key, inner] of Object.entries(value as Record<string, unknown>))
      if (!SILENT.has(key)) flat(inner, Array.isArray(value) && value.length === 1 ? path : [...path, key], out);
  } else out.set(path.join(', '), typeof value === 'number' ? String(Number(value.toPrecision(6))) : String(value));
  return out;
}
