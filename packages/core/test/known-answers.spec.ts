import type { Base, ExtractOptions, Field, MapKind, PolyMesh } from '../src';
import { extractTile, limitPoints, polyMesh, prepareSpan, readObj, refineLevels, triangleVerts, triangulate, writeObj } from '../src'; // prettier-ignore
import { known, meshOf, plane, shuffled } from './shapes';

/** Answers that are known beforehand: the same asset turned, scaled, moved, mirrored, numbered anew, cut otherwise, has the same maps. */

const [NX, NY] = [16, 11];
const SIZE = 24;
const bend = (x: number, y: number, z: number): [number, number, number] => [
  x + 0.2 * Math.sin(y),
  y + 0.15 * Math.sin(2 * z),
  z + 0.1 * Math.cos(x),
];

/** A bent ring without any point of other than four faces, in one island that is cut twice and does not follow the surface evenly. */
const low: PolyMesh = (() => {
  const points: number[][] = [];
  const uvs: number[][] = [];
  const faces: number[][] = [];
  const at = (i: number, j: number): number => (i % NX) * NY + (j % NY);
  for (let i = 0; i < NX; i++)
    for (let j = 0; j < NY; j++) {
      const [a, b] = [(2 * Math.PI * i) / NX, (2 * Math.PI * (j + 0.05 * Math.sin(i))) / NY];
      points.push(bend((2 + 0.8 * Math.cos(b)) * Math.cos(a), (2 + 0.8 * Math.cos(b)) * Math.sin(a), 0.8 * Math.sin(b)));
      faces.push([at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
      for (const [p, q] of [[0, 0], [1, 0], [1, 1], [0, 1]]) uvs.push([0.1 + (0.8 * (i + p)) / NX, 0.1 + (0.8 * (j + q)) / NY]); // prettier-ignore
    }
  return meshOf(points, faces, uvs);
})();

/** Its second level, with hills along the normal and a drift to the side, coloured by place. */
const sculpt: PolyMesh = (() => {
  const { mesh } = refineLevels(low, 2);
  const { positions: p, normals: n } = limitPoints(refineLevels(low, 2));
  const positions = p.slice();
  const colors = new Float32Array(p.length);
  for (let i = 0; i < p.length; i += 3) {
    const hill = 0.08 * Math.sin(5 * p[i]) * Math.cos(4 * p[i + 1]) + 0.03;
    const drift = 0.03 * Math.sin(3 * p[i + 2]);
    for (let k = 0; k < 3; k++) {
      positions[i + k] += hill * n[i + k] + drift * n[i + ((k + 1) % 3)];
      colors[i + k] = 0.5 + 0.4 * Math.sin(2 * p[i + k]);
    }
  }
  return { ...mesh, positions, colors };
})();
const DIAGONAL = 7;

const moved = (mesh: PolyMesh, by: (x: number, y: number, z: number) => readonly number[]): PolyMesh => {
  const positions = mesh.positions.slice();
  for (let i = 0; i < positions.length; i += 3) positions.set(by(positions[i], positions[i + 1], positions[i + 2]), i);
  return { ...mesh, positions };
};
const turn = (x: number, y: number, z: number): [number, number, number] => {
  const [c, s] = [Math.cos(0.7), Math.sin(0.7)];
  const [a, b] = [c * x - s * y, s * x + c * y];
  return [a, c * b - s * z, s * b + c * z];
};
/** Every face the other way round, from the same first corner. */
function reversed(mesh: PolyMesh): PolyMesh {
  const order = Uint32Array.from(mesh.faceVerts, (_, c) => c - (c % 4) + ((4 - (c % 4)) % 4));
  return { ...mesh, faceVerts: order.map((c) => mesh.faceVerts[c]), faceUvs: mesh.faceUvs && order.map((c) => known(mesh.faceUvs)[c]) };
}
const withUvs = (mesh: PolyMesh, map: (u: number, v: number) => readonly [number, number]): PolyMesh => {
  const uvs = known(mesh.uvs).slice();
  for (let i = 0; i < uvs.length; i += 2) uvs.set(map(uvs[i], uvs[i + 1]), i);
  return { ...mesh, uvs };
};

/** What is measured in one pass; heights alone, since what is measured with them is read where they put it. */
interface Pass {
  readonly base: Base;
  readonly maps: readonly MapKind[];
  readonly frame: 'mikk' | 'object' | 'derivative';
}
const BASES: readonly Base[] = ['limit', 'polygons', 'level:1'];
const PASSES: readonly Pass[] = [
  ...BASES.flatMap((base): Pass[] => [
    { base, maps: ['scalar'], frame: 'mikk' },
    { base, maps: ['vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'], frame: 'mikk' },
  ]),
  // frames belong to the light mesh, whichever base it has
  { base: 'limit', maps: ['vector'], frame: 'derivative' },
  { base: 'limit', maps: ['vector', 'normal'], frame: 'object' },
];
/** What does not ask for its base in a way of its own. */
const FROM_LIMIT = PASSES.filter((p) => p.base === 'limit');
const named = (passes: readonly Pass[]): [string, Pass][] => passes.map((p) => [`${p.maps.join(', ')} (${p.frame}) from ${p.base}`, p]);
const inSpace = ({ frame }: Pass): boolean => frame === 'object';

type Maps = ReadonlyMap<MapKind, Field>;
const made = new Map<string, Promise<Maps>>();
async function measure(
  a: PolyMesh,
  b: PolyMesh,
  { maps, base, frame }: Pass,
  more: Partial<ExtractOptions> = {},
  tile = 1001,
): Promise<Maps> {
  // prettier-ignore
  const options: Partial<ExtractOptions> = {
    width: SIZE, height: SIZE, base, maps, padding: 0, occlusionRays: 128, frame: frame === 'object' ? 'object' : 'mikk', vectorFrame: frame, ...more,
  }; // prettier-ignore
  return (await extractTile(prepareSpan(a, b, options), tile)).fields;
}
/** The maps of the asset as it is. */
function plain(pass: Pass): Promise<Maps> {
  const key = JSON.stringify(pass);
  const maps = made.get(key) ?? measure(low, sculpt, pass);
  made.set(key, maps);
  return maps;
}

/** Largest difference over texels that both have (one on a border may fall to either side).
 *  @param of what the first map's texel should have become */
function farthest(
  a: Field,
  b: Field,
  of: (texel: readonly number[]) => readonly number[] = (x) => x,
  at = (texel: number): number => texel,
): number {
  // prettier-ignore
  let worst = 0;
  let both = 0;
  const c = a.channels;
  for (let i = 0; i < a.coverage.length; i++) {
    const j = at(i);
    if (a.coverage[i] !== 1 || b.coverage[j] !== 1) continue;
    both++;
    const wanted = of([...a.values.subarray(c * i, c * i + c)]);
    for (let k = 0; k < c; k++) worst = Math.max(worst, Math.abs(wanted[k] - b.values[c * j + k]));
  }
  expect(both).toBeGreaterThan(0.95 * a.coverage.filter((k) => k === 1).length);
  return worst;
}
/** What rounding may change of a length, a direction, a curvature; and of a share of rays, which start from another tangent when all is
 *  turned, or may just pass or hit an edge. */
const slack = (kind: MapKind, rays = 0.15): number =>
  kind === 'occlusion' ? rays : kind === 'curvature' ? 2e-3 : kind === 'hollows' ? 2e-4 : 2e-5;
const across = (kind: MapKind): boolean => kind === 'vector' || kind === 'normal';

describe('the same maps', () => {
  it.each(named(PASSES))('when the asset is turned, and its points, faces and corners are in another order: %s', async (_name, pass) => {
    const maps = await measure(shuffled(moved(low, turn), 5), shuffled(moved(sculpt, turn), 6), pass);
    // in object space vectors turn with it
    const of = inSpace(pass) ? ([x, y, z]: readonly number[]): number[] => turn(x, y, z) : undefined;
    for (const [kind, field] of await plain(pass))
      expect([kind, farthest(field, known(maps.get(kind)), of) < slack(kind)]).toEqual([kind, true]);
  });

  it.each(named(FROM_LIMIT))('when the unit is another, up to that unit: %s', async (_name, pass) => {
    for (const s of [pass.maps.length > 1 ? 1e-3 : 1e3]) {
      const by = (x: number, y: number, z: number): number[] => [s * x, s * y, s * z];
      const maps = await measure(moved(low, by), moved(sculpt, by), pass);
      for (const [kind, field] of await plain(pass)) {
        const power = kind === 'scalar' || kind === 'vector' ? s : kind === 'curvature' ? 1 / s : 1;
        expect([kind, farthest(field, known(maps.get(kind)), (t) => t.map((x) => x * power)) / power < slack(kind)]).toEqual([kind, true]);
      }
    }
  });

  it.each(named(FROM_LIMIT))('when it stands far away: %s', async (_name, pass) => {
    const far = (mesh: PolyMesh): PolyMesh => readObj(writeObj({ ...mesh, origin: [5000, -7000, 90000] })).mesh;
    const there = far(low);
    expect(there.origin.map(Math.abs).every((x) => x > 4000)).toBe(true);
    const maps = await measure(there, far(sculpt), pass);
    for (const [kind, field] of await plain(pass)) {
      const allowed = kind === 'occlusion' || kind === 'curvature' || kind === 'hollows' ? slack(kind, 0.05) : 1e-6 * DIAGONAL;
      expect([kind, farthest(field, known(maps.get(kind))) < allowed]).toEqual([kind, true]);
    }
  });

  it.each(named(FROM_LIMIT.filter((p) => !inSpace(p))))('when it is mirrored: %s', async (_name, pass) => {
    const mirror = (mesh: PolyMesh): PolyMesh => reversed(moved(mesh, (x, y, z) => [-x, y, z]));
    const maps = await measure(mirror(low), mirror(sculpt), pass);
    for (const [kind, field] of await plain(pass))
      expect([kind, farthest(field, known(maps.get(kind))) < slack(kind)]).toEqual([kind, true]);
  });

  it.each(['limit', 'polygons'] as const)('by rays when the sculpt is cut into triangles, from %s', async (base) => {
    const triangles = triangulate(sculpt);
    const faceVerts = triangleVerts(sculpt, triangles);
    const cut = polyMesh({ positions: sculpt.positions, colors: sculpt.colors, faceVerts, faceOffsets: Uint32Array.from({ length: faceVerts.length / 3 + 1 }, (_, t) => 3 * t) }); // prettier-ignore
    const pass: Pass = { base, maps: ['scalar', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'], frame: 'mikk' };
    const [whole, split] = await Promise.all([sculpt, cut].map((b) => measure(low, b, pass, { match: 'rays', reach: 0.5 })));
    // point normals are weighted by face: a quad has one, its triangles have two
    for (const [kind, field] of whole) expect([kind, farthest(field, known(split.get(kind))) < (kind === 'normal' ? 0.1 : slack(kind, 0.05))]).toEqual([kind, true]); // prettier-ignore
  });

  it.each(named(FROM_LIMIT.filter((p) => !inSpace(p))))('when the islands are turned by a quarter or mirrored: %s', async (_name, pass) => {
    const quarter = await measure(withUvs(low, (u, v) => [1 - v, u]), sculpt, pass); // prettier-ignore
    const flipped = await measure(withUvs(low, (u, v) => [1 - u, v]), sculpt, pass); // prettier-ignore
    const [column, row] = [(i: number): number => i % SIZE, (i: number): number => Math.floor(i / SIZE)];
    for (const [kind, field] of await plain(pass)) {
      // samples of a texel have chances of their own
      const allowed = slack(kind, 0.25);
      // T turns round with a mirrored island
      const mirrored = across(kind) ? ([x, y, z]: readonly number[]): number[] => [-x, y, z] : undefined;
      expect([kind, farthest(field, known(flipped.get(kind)), mirrored, (i) => row(i) * SIZE + SIZE - 1 - column(i)) < allowed]).toEqual([kind, true]); // prettier-ignore
      // where U and V change places on a surface that is not evenly laid out, T becomes a direction of its own
      if (!across(kind)) expect([kind, farthest(field, known(quarter.get(kind)), undefined, (i) => (SIZE - 1 - column(i)) * SIZE + row(i)) < allowed]).toEqual([kind, true]); // prettier-ignore
    }
  });
});

describe('one tile against four', () => {
  const flat = plane(2, 4);
  const hills = plane(16, 4, (x, y) => 0.2 * Math.sin(2 * x) * Math.cos(3 * y));
  const coloured: PolyMesh = { ...hills, colors: hills.positions.map((x) => 0.5 + 0.1 * x) };
  it.each(named(PASSES))('%s', async (_name, pass) => {
    const one = await measure(flat, coloured, pass, { width: 32, height: 32 });
    const four = withUvs(flat, (u, v) => [2 * u, 2 * v]);
    for (const [tile, x0, y0] of [
      [1001, 0, 16],
      [1002, 16, 16],
      [1011, 0, 0],
      [1012, 16, 0],
    ] as const) {
      // prettier-ignore
      const maps = await measure(four, coloured, pass, { width: 16, height: 16 }, tile);
      for (const [kind, part] of maps) {
        const whole = known(one.get(kind));
        const at = (i: number): number => (y0 + Math.floor(i / 16)) * 32 + x0 + (i % 16);
        expect([kind, farthest(part, whole, undefined, at) < slack(kind, 0.25)]).toEqual([kind, true]);
      }
    }
  });
});

describe('flipped faces', () => {
  it.each(['limit', 'polygons'] as const)('turn heights and curvature round when both surfaces are flipped, from %s', async (base) => {
    for (const kind of ['scalar', 'curvature'] as const) {
      const maps = await measure(reversed(low), reversed(sculpt), { base, maps: [kind], frame: 'mikk' });
      const still = await plain(known(PASSES.find((p) => p.base === base && p.maps.includes(kind))));
      expect(farthest(known(still.get(kind)), known(maps.get(kind)), ([x]) => [-x])).toBeLessThan(slack(kind));
    }
  });

  it('of the sculpt alone are named: rays would find nothing', async () => {
    const pass: Pass = { base: 'limit', maps: ['normal', 'colour'], frame: 'mikk' };
    for (const match of ['rays', 'closest'] as const)
      await expect(measure(low, reversed(sculpt), pass, { match })).rejects.toThrow(/turned inside out/);
  });

  it('a single one in a flat plane bends nothing', async () => {
    const sheet = plane(8, 4, 0.1);
    const corners = [...sheet.faceVerts.subarray(4 * 27, 4 * 28)].reverse();
    sheet.faceVerts.set(corners, 4 * 27);
    const maps = await measure(plane(2, 4), sheet, { maps: ['curvature'], base: 'limit', frame: 'mikk' }, { match: 'closest' });
    expect(Math.max(...known(maps.get('curvature')).values.map(Math.abs))).toBeLessThan(1e-6);
  });
});
