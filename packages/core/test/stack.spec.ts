import type { PolyMesh } from '../src';
import { assembleStack, faceCount, polyMesh, refineLevels, stackLevel } from '../src';
import { looksInOrder } from '../src/extract/stack-match';
import { acrossEdges, NO_CORNER } from '../src/mesh/across-edges';
import { acrossRefined, LinkedCorners } from '../src/mesh/linked-corners';
import { cube, meshOf, onSphere, plane, random, shuffled, torus } from './shapes';

describe('assembling a stack', () => {
  const low = cube();
  const at = (level: number, radius = 1) => ({ name: `level-${level}.obj`, mesh: onSphere(refineLevels(low, level).mesh, radius) });

  it('finds rungs by connectivity in any order and fills the missing ones from above', () => {
    const stack = assembleStack(low, [at(3, 2), at(1)]);
    const levels = stack?.levels ?? [];
    expect(levels.map((mesh) => stackLevel(low, mesh)?.levels)).toEqual([0, 1, 2, 3]);
    expect(levels[0]).toBe(low);
    const points = levels[2].positions;
    expect(points).toEqual(levels[3].positions.subarray(0, points.length));
    expect(stack?.reordered).toEqual([]);
    expect(levels[1].uvs).toEqual(refineLevels(low, 1).mesh.uvs); // a span can start from any rung
  });

  it('takes one other mesh as a free sculpt, and refuses a stranger or a second of one level among several', () => {
    const stranger = { name: 'other.obj', mesh: plane(7) };
    expect(assembleStack(low, [stranger])).toBeNull();
    expect(() => assembleStack(low, [at(1), stranger])).toThrow(/^other\.obj is not a level/);
    expect(() => assembleStack(low, [at(1), { ...at(1), name: 'again.obj' }])).toThrow(/^again\.obj/);
  });

  it('recognises a level whose points and faces come in another order, and puts them back', () => {
    const mixed = meshOf([[0, 0, 0], [1, 0, 0.2], [2, 0, 0], [0, 1, 0], [1, 1, 0.3], [2, 1, 0.1], [1, 2, 0], [9, 0, 0], [10, 0, 0], [9, 1, 0]], [[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 5, 6], [7, 8, 9]]); // prettier-ignore
    for (const [base, levels] of [
      [cube(), 3],
      [mixed, 2],
      [plane(3), 2],
    ] as const) {
      const level = refineLevels(base, levels).mesh;
      const sculpt = { ...level, positions: level.positions.map((x, i) => x + 0.01 * Math.sin(i)) };
      const found = stackLevel(base, shuffled(sculpt, 11));
      expect(found).toMatchObject({ levels, points: expect.any(Uint32Array) as Uint32Array });
      expect(found?.mesh.positions).toEqual(sculpt.positions);
      expect(found?.mesh.faceVerts).toEqual(sculpt.faceVerts);
      expect([looksInOrder(base, sculpt, levels), looksInOrder(base, shuffled(sculpt, 11), levels)]).toEqual([true, false]);
    }
    // moved so far that other places lie nearer, of which one looks alike all around: without symmetry there is only one answer
    const level = refineLevels(mixed, 3).mesh;
    const away = { ...level, positions: level.positions.map((x, i) => (i % 3 === 2 ? x : x + 1.5)) };
    expect(stackLevel(mixed, shuffled(away, 4))?.mesh.positions).toEqual(away.positions);
  });

  it('tells symmetric pieces, and what each could be turned into, apart by nearness, though points have moved by several edges', () => {
    // cubes in a row: any fits on any other, in 24 ways; of many their corners are not rare any more
    const one = cube();
    for (const [cubes, levels] of [
      [30, 4],
      [200, 3],
    ]) {
      const base = polyMesh({
        positions: Float32Array.from({ length: 24 * cubes }, (_, i) => one.positions[i % 24] + (i % 3 === 0 ? 4 * Math.floor(i / 24) : 0)),
        faceVerts: Uint32Array.from({ length: 24 * cubes }, (_, c) => one.faceVerts[c % 24] + 8 * Math.floor(c / 24)),
        faceOffsets: Uint32Array.from({ length: 6 * cubes + 1 }, (_, f) => 4 * f),
      });
      const level = refineLevels(base, levels).mesh;
      // an edge of level 4 is about a twelfth of a cube wide
      const pulled = { ...level, positions: level.positions.map((x, i) => x + 0.35 * Math.sin(2 * level.positions[i - (i % 3)] + i % 3)) }; // prettier-ignore
      const found = stackLevel(base, shuffled(pulled, 5))?.mesh.positions;
      expect(pulled.positions.findIndex((x, i) => x !== found?.[i])).toBe(-1);
    }
    // a ring has no point of a rare kind, and can be shifted
    const ring = tube(24, 6);
    const wall = refineLevels(ring, 2).mesh;
    const bent = { ...wall, positions: wall.positions.map((x, i) => x + 0.004 * Math.sin(i)) };
    expect(stackLevel(ring, shuffled(bent, 9))?.mesh.positions).toEqual(bent.positions);
    // neither has a torus, which can be shifted both ways; here what lies around the first faces is pulled by three edges, so that only a look
    // at everything tells
    const whole = torus(3, 1, 24);
    const skin = refineLevels(whole, 3).mesh;
    const pulledAway = skin.positions.map((z, i) => {
      const [x, y] = [skin.positions[i - (i % 3)], skin.positions[i - (i % 3) + 1]];
      return i % 3 === 1 ? y + 0.3 * Math.exp(-((x - 4) ** 2 + y ** 2) / 4) : z;
    });
    const laid = stackLevel(whole, shuffled({ ...skin, positions: pulledAway }, 3))?.mesh.positions;
    expect(pulledAway.findIndex((x, i) => x !== laid?.[i])).toBe(-1);
  });

  it('finds the corner across each edge as a table of edges does, with points in any order, faces turned and doubled, and a hub of many', () => {
    const next = random(11);
    const ball = shuffled(refineLevels(cube(), 5).mesh, 12);
    const faces = Array.from({ length: faceCount(ball) }, (_, f) => [...ball.faceVerts.subarray(4 * f, 4 * f + 4)]);
    for (let k = 0; k < 40; k++) faces[Math.floor(next() * faces.length)].reverse();
    for (let k = 0; k < 40; k++) faces.push([...faces[Math.floor(next() * faces.length)]]);
    for (let k = 0; k < 99; k++) faces.push([7, 100 + k, 101 + k]);
    const offsets = [0];
    for (const face of faces) offsets.push(offsets[offsets.length - 1] + face.length);
    const mesh = { ...ball, faceOffsets: Uint32Array.from(offsets), faceVerts: Uint32Array.from(faces.flat()) };
    const edges = new Map<string, { c: number; isUp: boolean }[]>();
    let first = 0;
    for (const face of faces) {
      for (const [i, v] of face.entries()) {
        const w = face[(i + 1) % face.length];
        const key = v < w ? `${v} ${w}` : `${w} ${v}`;
        edges.set(key, [...(edges.get(key) ?? []), { c: first + i, isUp: v < w }]);
      }
      first += face.length;
    }
    const expected = new Uint32Array(first).fill(NO_CORNER);
    for (const [one, other, ...more] of edges.values())
      if (other !== undefined && more.length === 0 && one.isUp !== other.isUp) {
        expected[one.c] = other.c;
        expected[other.c] = one.c;
      }
    expect(expected.filter((c) => c === NO_CORNER).length).toBeGreaterThan(300);
    expect(Buffer.from(acrossEdges(mesh).buffer).equals(Buffer.from(expected.buffer))).toBe(true);
  });

  it('knows what lies across the edges of a refined mesh from the light one, as a look at all its faces finds it', () => {
    const tangled = (seed: number) => {
      // faces of three to five corners over few points: borders, three faces at an edge, faces that are flipped or twice there
      const next = random(seed);
      const faces = Array.from({ length: 12 }, () => {
        const points = [0, 1, 2, 3, 4, 5, 6].sort(() => next() - 0.5);
        return points.slice(0, 3 + Math.floor(3 * next()));
      });
      return meshOf(Array.from({ length: 7 }, () => [next(), next(), next()]), faces); // prettier-ignore
    };
    for (const base of [cube(), plane(3), ...Array.from({ length: 40 }, (_, k) => tangled(k + 1))]) {
      const across = acrossRefined(base, 2);
      expect(across).toEqual(new LinkedCorners(refineLevels(base, 2).mesh).across);
    }
    expect(acrossRefined(meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0]], [[0, 1, 2, 1]]), 1)).toBeNull(); // prettier-ignore
  });

  it('is not fooled by equal counts with other connectivity', () => {
    const a = refineLevels(plane(4), 1).mesh; // 8 x 8 quads
    const twisted = Uint32Array.from(a.faceVerts);
    [twisted[0], twisted[33]] = [twisted[33], twisted[0]];
    expect(stackLevel(plane(4), { ...a, faceVerts: twisted })).toBeNull();
  });
});

/** A tube of quads without ends that meet, of radius 1. */
function tube(around: number, high: number): PolyMesh {
  const angle = (i: number): number => (2 * Math.PI * i) / around;
  return polyMesh({
    positions: Float32Array.from({ length: 3 * around * (high + 1) }, (_, i) => {
      const v = Math.floor(i / 3);
      return [Math.cos(angle(v % around)), Math.sin(angle(v % around)), Math.floor(v / around) / 4][i % 3];
    }),
    faceVerts: Uint32Array.from({ length: 4 * around * high }, (_, c) => {
      const f = c >> 2;
      const [i, j] = [f % around, Math.floor(f / around)];
      const next = (i + 1) % around;
      return [i + around * j, next + around * j, next + around * (j + 1), i + around * (j + 1)][c & 3];
    }),
    faceOffsets: Uint32Array.from({ length: around * high + 1 }, (_, f) => 4 * f),
  });
}
