import type { ExtractOptions, Field, FitGain, MapKind, MovingKind, PolyMesh, Quantity } from '@estampe/core';
import {
  displaces,
  extractTile,
  FRAME_RULE,
  gainOverTiles,
  MAP_KIND_NAMES,
  MAP_KINDS,
  MOVING_KINDS,
  prepareSpan,
  proveDisplacement,
} from '@estampe/core';
import { bellClapper, harbourBell, kelpHoldfast, mooringBuoy, quayStone } from '@estampe/demo';
import { ThreadPool } from '@estampe/node';

/** Prints what matching seams does to every kind of map of every demo asset at 2K, before rounding: for maps that move the surface the gap
 *  that opens when the light mesh is displaced by them (RMS over the seam's points, mm); for the others how far reads along the seams lie from
 *  what was measured there (RMS, in the map's unit; normals in degrees). */
const pool = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url));
const SIZE = 2048;
const UNITS: Readonly<Record<Quantity, string>> = { length: 'mm', direction: 'degrees', curvature: '1/mm', share: '', colour: '' };

type Fields = ReadonlyMap<number, ReadonlyMap<MapKind, Field>>;

async function measure(low: PolyMesh, sculpt: PolyMesh, options: Partial<ExtractOptions>) {
  const span = prepareSpan(low, sculpt, { width: SIZE, height: SIZE, ...options }, pool);
  const fields = new Map<number, ReadonlyMap<MapKind, Field>>();
  const gains = new Map<MapKind, FitGain[]>();
  for (const tile of span.tiles) {
    const found = await extractTile(span, tile, pool);
    fields.set(tile, found.fields);
    for (const [kind, gain] of found.fits) gains.set(kind, [...(gains.get(kind) ?? []), gain]);
  }
  return { span, fields, gains };
}

async function gapOf(low: PolyMesh, sculpt: PolyMesh, kind: MovingKind, fields: Fields, frameLevel: number | null, subdivisions: number) {
  const maps = new Map([...fields].flatMap(([tile, f]) => (f.has(kind) ? [[tile, f.get(kind) as Field] as const] : [])));
  const { report } = await proveDisplacement({ low, sculpt, maps }, { kind, frameLevel, frameRule: FRAME_RULE, subdivisions }, pool);
  return report.seamGap.rms;
}

async function rows(name: string, low: PolyMesh, sculpt: PolyMesh): Promise<void> {
  const kinds = MAP_KIND_NAMES.filter((kind) => sculpt.colors !== null || !MAP_KINDS[kind].needs.colours);
  const common: Partial<ExtractOptions> = { occlusionRays: 16 };
  const plain = await measure(low, sculpt, { ...common, maps: MOVING_KINDS });
  const matched = await measure(low, sculpt, { ...common, maps: kinds, matchSeams: true });
  const subdivisions = matched.span.levels ?? 4;
  for (const kind of kinds) {
    const gain = gainOverTiles(matched.gains.get(kind) ?? []);
    const gap = (m: typeof plain, moving: MovingKind): Promise<number> => {
      const spec = m.span.measures.find((x) => x.kind === moving);
      const frameLevel = spec?.kind === 'vector' && spec.frame.kind === 'derivative' ? spec.frame.level : null;
      return gapOf(low, sculpt, moving, m.fields, frameLevel, subdivisions);
    };
    const [before, after] = displaces(kind) ? [await gap(plain, kind), await gap(matched, kind)] : [gain.before, gain.after];
    process.stdout.write(
      `| ${name} | ${kind} | ${before.toPrecision(3)} | ${after.toPrecision(3)} | ${UNITS[MAP_KINDS[kind].quantity]} |\n`,
    );
  }
}

process.stdout.write('| asset | map | as measured | seams matched | unit |\n|---|---|---|---|---|\n');
for (const [name, levels] of [
  ['bell', harbourBell(4)],
  ['clapper', bellClapper(4)],
  ['buoy', mooringBuoy(4)],
  ['stone', quayStone(4)],
  ['holdfast', kelpHoldfast()],
] as const)
  await rows(name, levels[0], levels[levels.length - 1]);
await pool.close();
