import { kelpGrown, kelpGrownLevel, kelpHoldfastBase, valueNoise } from '@estampe/demo';
import type { PolyMesh, TransferredLevel } from '../src';
import { CancelledError, faceGroups, inlineThreads, levelsNear, polyMesh, quadsOf, settleBase, transferSculpt, withGroups } from '../src';
import { buildBvh } from '../src/spatial/bvh';
import { ClosestQuery } from '../src/spatial/closest';
import { limitPoints } from '../src/subdivision/limit';
import { refineLevels } from '../src/subdivision/refine';
import { deviation } from '../src/transfer/deviation';
import { fillHarmonic } from '../src/transfer/fill';
import { SurfaceWalk } from '../src/transfer/surface-walk';
import { transferTarget } from '../src/transfer/target';
import { unsettledFinding } from '../src/transfer/unsettled';
import { neighboursOf } from '../src/mesh/neighbours';
import { buildEdges } from '../src/mesh/topology';
import { blockHand } from './block-hand';
import { cube, known, onSphere, plane, shuffled } from './shapes';

/** Two triangles a quad, the diagonals in turns. */
function triangles(mesh: PolyMesh): PolyMesh {
  const verts = Uint32Array.from({ length: mesh.faceVerts.length * 1.5 }, (_, i) => {
    const [f, k] = [Math.floor(i / 6), [0, 1, 2, 0, 2, 3][i % 6]];
    return mesh.faceVerts[4 * f + ((k + f) & 3)];
  });
  return polyMesh({ positions: mesh.positions, faceVerts: verts, faceOffsets: Uint32Array.from({ length: verts.length / 3 + 1 }, (_, t) => 3 * t) }); // prettier-ignore
}

const FINGERS = ['one', 'two', 'three', 'four'];
const NAMES = ['palm', ...FINGERS, 'thumb'];
/** The hand with its fingers a gap apart, in groups. */
function handApart(gap: number): PolyMesh {
  const mesh = blockHand(0);
  const of = Uint16Array.from({ length: mesh.faceOffsets.length - 1 }, (_, f) => {
    const middle = [0, 1].map((k) => [0, 1, 2, 3].reduce((s, c) => s + mesh.positions[3 * mesh.faceVerts[4 * f + c] + k], 0) / 4);
    return middle[1] > 6 ? 1 + Math.floor(middle[0] / 2) : middle[0] > 7 ? 5 : 0;
  });
  const squeezed = (x: number): number => {
    let out = 0;
    for (let i = 0; i < 7; i++) out += Math.min(1, Math.max(0, x - i)) * (i % 2 === 0 ? 1 : gap);
    return out + Math.max(0, x - 7);
  };
  return withGroups({ ...mesh, positions: mesh.positions.map((x, i) => (i % 3 === 0 ? squeezed(x) : x)) }, { names: NAMES, of });
}

/** A sculpted hand as triangles, with the group of each. */
function sculptedHand(gap: number, fat: number): PolyMesh {
  const level = refineLevels(handApart(gap), 4);
  const { positions: p, normals: n } = limitPoints(level);
  const positions = p.map((x, i) => {
    const o = 3 * Math.floor(i / 3);
    return x + (fat + 0.03 * valueNoise(3 * p[o], 3 * p[o + 1], 3 * p[o + 2], 5)) * n[i];
  });
  const { names, of } = faceGroups(level.mesh);
  return withGroups(triangles({ ...level.mesh, positions }), {
    names,
    of: Uint16Array.from({ length: 2 * of.length }, (_, t) => of[t >> 1]),
  });
}

/** Points of fingers that lie on another finger, and all of them. */
function takenFromOthers({ mesh }: TransferredLevel, sculpt: PolyMesh): { wrong: number; all: number } {
  const query = new ClosestQuery(buildBvh(sculpt.positions, sculpt.faceVerts));
  const [own, theirs] = [faceGroups(mesh), faceGroups(sculpt)];
  const finger = new Map<number, string | null>();
  for (let c = 0; c < mesh.faceVerts.length; c++) {
    const [v, name] = [mesh.faceVerts[c], own.names[own.of[c >> 2]]];
    finger.set(v, (finger.get(v) ?? name) === name ? name : null);
  }
  let [wrong, all] = [0, 0];
  for (const [v, name] of finger) {
    if (name === null || !FINGERS.includes(name)) continue;
    all++;
    query.find(mesh.positions[3 * v], mesh.positions[3 * v + 1], mesh.positions[3 * v + 2]);
    const there = theirs.names[theirs.of[query.triangle]];
    if (there !== name && FINGERS.includes(there)) wrong++;
  }
  return { wrong, all };
}

describe('transfer', () => {
  it('puts a cube onto a sphere, level by level, and stops near its number of faces', async () => {
    const ball = triangles(onSphere(refineLevels(cube(), 5).mesh, 1));
    expect([quadsOf(ball), levelsNear(cube(), quadsOf(ball))]).toEqual([6144, 5]);
    const numbers: number[] = [];
    const levels = await transferSculpt(cube(0.8), ball, {}, { each: (_, k) => numbers.push(k) });
    expect(numbers).toEqual([1, 2, 3, 4, 5]);
    levels.forEach(({ mesh, faces, projectedShare, folds, missed }, k) => {
      expect([faces, projectedShare, folds, missed.length]).toEqual([6 * 4 ** (k + 1), 1, 0, 0]);
      // points are on the sphere, but for the depth of the sphere's own flat triangles
      const radii = Array.from({ length: mesh.positions.length / 3 }, (_, v) => Math.hypot(...mesh.positions.subarray(3 * v, 3 * v + 3)));
      expect(Math.max(...radii)).toBeLessThan(1 + 1e-6);
      expect(Math.min(...radii)).toBeGreaterThan(0.998);
    });
    // the way between neighbours falls by half, what faces leave out by a quarter
    expect(levels[3].rms / levels[2].rms).toBeLessThan(0.4);
  });

  it('gets the holdfast that was grown from its light mesh as well as if each point knew its place', async () => {
    const low = kelpHoldfastBase();
    const sculpt = kelpGrown(2);
    const levels = await transferSculpt(low, sculpt);
    const best = await deviation(kelpGrownLevel(2), await transferTarget(low, sculpt, inlineThreads), inlineThreads);
    const last = levels[levels.length - 1];
    expect(last.projectedShare).toBeGreaterThan(0.99);
    expect(last.folds).toBe(0);
    expect(last.rms).toBeLessThan(1.5 * best.rms);
    expect(last.mesh.faceUvs?.length).toBe(last.mesh.faceVerts.length);
  });

  it('takes from its own finger only: without groups nearly, with groups always', async () => {
    const low = handApart(0.3);
    const sculpt = sculptedHand(0.15, 0.06);
    const bare = { ...sculpt, sections: [sculpt.sections[0]], faceSections: new Uint16Array(sculpt.faceSections.length) };
    const plain = takenFromOthers(known((await transferSculpt(low, bare)).at(-1)), sculpt);
    expect(plain.all).toBeGreaterThan(15_000);
    expect(plain.wrong / plain.all).toBeLessThan(0.001);
    expect(takenFromOthers(known((await transferSculpt(low, sculpt)).at(-1)), sculpt).wrong).toBe(0);
  });

  it('carries along what finds nothing, says where, and takes colours', async () => {
    // a bump on a sheet of which a quarter is missing
    const fine = plane(32, 1, (x, y) => 0.1 * Math.sin(3 * x) * Math.sin(3 * y));
    const there = [...fine.faceOffsets.keys()].slice(0, -1).filter((f) => f % 32 < 16 || f < 512);
    const sculpt = polyMesh({
      positions: fine.positions,
      faceVerts: Uint32Array.from(there.flatMap((f) => [...fine.faceVerts.subarray(4 * f, 4 * f + 4)])),
      faceOffsets: Uint32Array.from({ length: there.length + 1 }, (_, f) => 4 * f),
      colors: Float32Array.from({ length: fine.positions.length }, (_, i) => [fine.positions[3 * Math.floor(i / 3)], 0.25, 1][i % 3]),
    });
    const [level] = await transferSculpt(plane(8), sculpt, { levels: 1, reach: 0.5 });
    expect(level.projectedShare).toBeGreaterThan(0.7);
    expect(level.projectedShare).toBeLessThan(0.8);
    const middle = (f: number): number[] => [0, 1].map((k) => level.mesh.positions[3 * level.mesh.faceVerts[4 * f] + k]);
    expect(level.missed.length).toBeGreaterThan(50);
    for (const f of level.missed) expect(Math.min(...middle(f))).toBeGreaterThan(0.4);
    // where nothing was found points follow: no step at the edge of what is missing
    const p = level.mesh.positions;
    const far = Math.max(...Array.from({ length: p.length / 3 }, (_, v) => Math.abs(p[3 * v + 2])));
    expect(far).toBeLessThan(0.11);
    const colours = level.mesh.colors ?? new Float32Array();
    for (let v = 0; v < p.length / 3; v++) expect(colours[3 * v + 1]).toBeCloseTo(0.25, 3);
    expect(colours[3]).toBeCloseTo(0.125, 5);
  });

  it('refuses what has no detail to give, hears a cancel, and does not move a mesh that lies far from zero otherwise', async () => {
    await expect(transferSculpt(plane(8), plane(4))).rejects.toThrow(
      /64 faces and the sculpt, counted in quads, 16: there is no detail to take/,
    );
    const away = plane(8);
    await expect(transferSculpt(plane(2), { ...away, positions: away.positions.map((x) => x + 50) })).rejects.toThrow(/do not overlap/);
    await expect(transferSculpt(plane(2), plane(8), { levels: 20 })).rejects.toThrow(/levels is 20/);
    await expect(transferSculpt(cube(), triangles(onSphere(refineLevels(cube(), 4).mesh, 1)), {}, { control: { signal: { aborted: true } } })).rejects.toThrow(CancelledError); // prettier-ignore
    const ball = triangles(onSphere(refineLevels(cube(), 3).mesh, 1));
    const near = known((await transferSculpt(cube(), ball, { levels: 2 })).at(-1));
    const far = known((await transferSculpt({ ...cube(), origin: [5e6, 0, 0] }, { ...ball, origin: [5e6, 0, 0] }, { levels: 2 })).at(-1));
    expect(far.mesh.positions).toEqual(near.mesh.positions);
  });
});

describe('filling and walking', () => {
  it('fills what is missing so that each value is the mean of its neighbours', () => {
    const sheet = plane(12);
    const P = sheet.positions.length / 3;
    const edges = buildEdges({ faceOffsets: sheet.faceOffsets, faceVerts: sheet.faceVerts, vertCount: P });
    const border = Uint8Array.from({ length: P }, (_, v) => Number([0, 12].includes(v % 13) || v < 13 || v >= 156));
    // linear on the border is linear inside
    const values = Float32Array.from({ length: P }, (_, v) =>
      border[v] === 1 ? 2 * sheet.positions[3 * v] - sheet.positions[3 * v + 1] : 0,
    );
    expect(fillHarmonic(values, 1, border, neighboursOf(edges, P))).toBe(0);
    for (let v = 0; v < P; v++) expect(values[v]).toBeCloseTo(2 * sheet.positions[3 * v] - sheet.positions[3 * v + 1], 2);
    expect(fillHarmonic(new Float32Array(P), 1, new Uint8Array(P), neighboursOf(edges, P))).toBe(P);
  });
  it('measures ways along a surface, not through the air', () => {
    // a sheet folded over: ends lie on each other, a hair apart
    const sheet = plane(64);
    const positions = sheet.positions.map((x, i) => {
      const [u, v] = [sheet.positions[3 * Math.floor(i / 3)], sheet.positions[3 * Math.floor(i / 3) + 1]];
      return [u < 0.5 ? u : 1 - u, v, u < 0.5 ? 0 : 0.01][i % 3];
    });
    const edges = buildEdges({ faceOffsets: sheet.faceOffsets, faceVerts: sheet.faceVerts, vertCount: positions.length / 3 });
    const walk = new SurfaceWalk(positions, edges, 0.04);
    const [left, right] = [walk.patchOf[65 * 32], walk.patchOf[65 * 32 + 64]];
    expect(left).not.toBe(right);
    expect([0.5, 0.9, 1.2].map((way) => walk.reaches(left, right, way))).toEqual([false, false, true]);
  });
});

describe('settling a base', () => {
  it('finds the base that a smooth top came from, whatever it was before, and says the grit before and after', () => {
    const base = kelpHoldfastBase();
    const level = refineLevels(base, 3);
    const top = { ...level.mesh, positions: limitPoints(level).positions };
    const size = 300;
    const moved = { ...base, positions: base.positions.map((x, i) => x + 5 * Math.sin(i)) };
    const { base: settled, before, after } = settleBase(moved, top);
    expect(before.rms).toBeGreaterThan(1);
    expect(after.max).toBeLessThan(1e-4 * size);
    let far = 0;
    settled.positions.forEach((x, i) => (far = Math.max(far, Math.abs(x - base.positions[i]))));
    expect(far).toBeLessThan(1e-3 * size);
    expect([settled.uvs, settled.faceVerts]).toEqual([base.uvs, base.faceVerts]);
    // the same under a top whose file has points and faces in another order
    const other = settleBase(moved, shuffled(top, 3));
    expect([other.before.rms, other.after.rms].map((x) => x.toPrecision(4))).toEqual([before.rms, after.rms].map((x) => x.toPrecision(4)));
    let apart = 0;
    other.base.positions.forEach((x, i) => (apart = Math.max(apart, Math.abs(x - settled.positions[i]))));
    expect(apart).toBeLessThan(1e-5 * size);
    // which is known beforehand, with the faces that would move; nothing is said where nothing is gained
    expect(unsettledFinding(moved, top, 3)).toMatchObject({ code: 'base-unsettled', severity: 'note', count: 1, message: expect.stringMatching(/ 0\.\d+ % of the diagonal .* settle the base/) as string }); // prettier-ignore
    expect(unsettledFinding(moved, top, 3)?.faces.length).toBeGreaterThan(100);
    expect(unsettledFinding(settled, top, 3)).toBeNull();
    expect(() => settleBase(base, refineLevels(cube(), 3).mesh)).toThrow(/no level of the base/);
  });
});
