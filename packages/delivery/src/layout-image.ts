import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { groupFill } from '@estampe/contracts';
import type { PolyMesh, UvRegion } from '@estampe/core';
import { faceGroups, tileOrigin, uvRegions } from '@estampe/core';
import { Resvg, initWasm } from '@resvg/resvg-wasm';
import type { Font } from 'opentype.js';
import { parse } from 'opentype.js';

/** What fits in memory as a drawing. */
export const MOST_LAYOUT_SIDE = 8192;
const INK = '#23211D';
const HALO = '#FBF8F2';
const { resolve } = createRequire(import.meta.url);
const FONT = '@fontsource/source-sans-3/files/source-sans-3-latin-400-normal.woff';

const once = <T>(make: () => Promise<T>): (() => Promise<T>) => {
  let made: Promise<T> | null = null;
  return () => (made ??= make());
};
const font = once(async (): Promise<Font> => {
  const bytes = await readFile(resolve(FONT));
  return parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength));
});
const renderer = once(async () => initWasm(await readFile(resolve('@resvg/resvg-wasm/index_bg.wasm'))));

/** Pictures of a mesh's islands for painters, one a tile, ascending: filled by group (by island where there is one group only), outlined, named, on nothing, so that they lie over a map.
 *  @param size side in texels, up to MOST_LAYOUT_SIDE
 *  @param only one tile; null for all
 *  @throws InvalidInputError NO_UVS */
export async function layoutImages(
  mesh: PolyMesh,
  size: number,
  only: number | null = null,
): Promise<{ readonly tile: number; readonly png: Uint8Array }[]> {
  const regions = uvRegions(mesh);
  const { names } = faceGroups(mesh);
  const tiles = [...new Set(regions.map(({ tile }) => tile))]
    .filter((tile) => tile > 0 && (only === null || tile === only))
    .sort((a, b) => a - b);
  await renderer();
  const letters = await font();
  return tiles.map((tile) => {
    const svg = layoutSvg(
      regions.filter((region) => region.tile === tile),
      names,
      tile,
      size,
      letters,
    );
    const drawing = new Resvg(svg, { font: { loadSystemFonts: false } });
    const image = drawing.render();
    const png = image.asPng();
    image.free();
    drawing.free();
    return { tile, png };
  });
}

function layoutSvg(regions: readonly UvRegion[], groups: readonly string[], tile: number, size: number, letters: Font): string {
  const [u0, v0] = tileOrigin(tile);
  const x = (u: number): number => Number(((u - u0) * size).toFixed(2));
  const y = (v: number): number => Number(((1 - (v - v0)) * size).toFixed(2));
  const line = Math.max(1, size / 1024);
  const paths = regions.map(({ loops, group, island }) => {
    const d = loops.map((loop) => `M${Array.from({ length: loop.length / 2 }, (_, i) => `${x(loop[2 * i])} ${y(loop[2 * i + 1])}`).join('L')}Z`).join('');
    return `<path d="${d}" fill="${groupFill(groups.length > 1 ? group : island)}" fill-rule="evenodd" stroke="${INK}" stroke-width="${line}" stroke-linejoin="round"/>`;
  }); // prettier-ignore
  const names = regions.map((region) => nameIn(region, groups, letters, size, x, y));
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${size}" height="${size}" viewBox="0 0 ${size} ${size}">${paths.join('')}${names.join('')}</svg>`;
}

/** A region's name at its widest place, as outlines; none where it would be too small to read. */
function nameIn(
  { inside: [u, v, room], island, group }: UvRegion,
  groups: readonly string[],
  letters: Font,
  size: number,
  x: (u: number) => number,
  y: (v: number) => number,
): string {
  const text = groups[group] || String(island + 1);
  // as wide as the circle that is free, up to a thirtieth of the picture
  const units = letters.getAdvanceWidth(text, 1);
  const height = Math.min(size / 30, (1.7 * room * size) / Math.max(units, 0.5));
  if (height < 7) return '';
  const d = letters.getPath(text, x(u) - (units * height) / 2, y(v) + 0.33 * height, height).toPathData(2);
  return `<path d="${d}" fill="${INK}" stroke="${HALO}" stroke-width="${(height / 7).toFixed(2)}" paint-order="stroke" stroke-linejoin="round"/>`;
}
