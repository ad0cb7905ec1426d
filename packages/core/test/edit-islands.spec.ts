import type { IslandEdit, PolyMesh } from '../src';
import { editIslands, edgeRow, endsOfEdges, islandsOf, meshSeams, openEdges, unwrap, unwrapAround, uvFigures, uvLayers } from '../src';
import { cube, known, plane } from './shapes';

/** A cube unwrapped into six faces that share their UV values: each face an island by having UVs of its own. */
const box = unwrap({ ...cube(), sections: ['a', 'b', 'c', 'd', 'e', 'f'].map((group) => ({ object: '', group, material: '', smoothing: '' })), faceSections: Uint16Array.of(0, 1, 2, 3, 4, 5) }, { seams: 'groups' }).mesh; // prettier-ignore
const cornersOf = ({ uvs, faceUvs, faceOffsets }: PolyMesh, f: number): number[] =>
  [...known(faceUvs).subarray(faceOffsets[f], faceOffsets[f + 1])].flatMap((t) => [...known(uvs).subarray(2 * t, 2 * t + 2)]);
const edited = (edit: IslandEdit) => editIslands(box, edit);
const near = (a: readonly number[], b: readonly number[]): void => a.forEach((x, i) => expect(x).toBeCloseTo(b[i], 6));

describe('placing islands', () => {
  it('moves those that are named and no others', () => {
    const moved = edited({ op: 'move', faces: [2], by: [0.25, -1] });
    near(
      cornersOf(moved, 2),
      cornersOf(box, 2).map((x, i) => x + (i % 2 === 0 ? 0.25 : -1)),
    );
    for (const f of [0, 1, 3, 4, 5]) expect(cornersOf(moved, f)).toEqual(cornersOf(box, f));
  });

  it('turns by quarters and mirrors about the middle: four turns, or two mirrorings, are none, and no area changes', () => {
    let turned = box;
    for (let k = 0; k < 4; k++) turned = editIslands(turned, { op: 'turn', faces: [1], quarters: 1 });
    near(cornersOf(turned, 1), cornersOf(box, 1));
    const once = edited({ op: 'turn', faces: [1], quarters: 1 });
    near(cornersOf(editIslands(once, { op: 'turn', faces: [1], quarters: 3 }), 1), cornersOf(box, 1));
    const [u0, v0, u1, v1] = cornersOf(box, 1);
    const [p0, q0, p1, q1] = cornersOf(once, 1);
    near([p1 - p0, q1 - q0], [-(v1 - v0), u1 - u0]);
    const mirrored = edited({ op: 'mirror', faces: [1] });
    near(cornersOf(editIslands(mirrored, { op: 'mirror', faces: [1] }), 1), cornersOf(box, 1));
    for (const mesh of [once, mirrored]) expect(uvFigures(mesh, 1024).stretch.rms).toBeCloseTo(known(uvFigures(box, 1024).stretch.rms), 6);
  });

  it('gives each island its own of a UV that several share, and refuses faces that are not there', () => {
    // two triangles apart in space that lie on the same UVs
    const pair: PolyMesh = { ...box, positions: new Float32Array(18).map((_, i) => i), faceOffsets: Uint32Array.of(0, 3, 6), faceVerts: Uint32Array.of(0, 1, 2, 3, 4, 5), uvs: Float32Array.of(0, 0, 1, 0, 0, 1), faceUvs: Uint32Array.of(0, 1, 2, 0, 1, 2), faceSections: new Uint16Array(2) }; // prettier-ignore
    const moved = editIslands(pair, { op: 'move', faces: [1], by: [2, 0] });
    expect([cornersOf(moved, 0), cornersOf(moved, 1)]).toEqual([[0, 0, 1, 0, 0, 1], [2, 0, 3, 0, 2, 1]]); // prettier-ignore
    expect(() => editIslands(pair, { op: 'mirror', faces: [7] })).toThrow('There is no face 7; the mesh has 2.');
  });
});

describe('unwrapping around islands that stay', () => {
  const OPTIONS = { seams: 'groups', size: 256, margin: 4 } as const;
  it('leaves them where they are, touches none, and makes texels as large as theirs where there is room', () => {
    // small, and in the way: one of six faces at a third of its size
    const third = { ...box, uvs: known(box.uvs).map((x) => 0.35 + x / 3) };
    const { mesh } = unwrapAround(third, [4], OPTIONS);
    near(cornersOf(mesh, 4), cornersOf(third, 4));
    const { islands, overlap, smallestGap } = uvFigures(mesh, 256);
    expect([islands, overlap]).toEqual([6, 0]);
    expect(known(smallestGap)).toBeGreaterThanOrEqual(4);
    for (const d of uvLayers(mesh).density) expect(Math.abs(d)).toBeLessThan(0.02);
  });

  it('gives the rest what room there is', () => {
    const { mesh } = unwrapAround(box, [0, 1, 2], OPTIONS);
    expect(uvFigures(mesh, 256).overlap).toBe(0);
    const { density } = uvLayers(mesh);
    expect(Math.max(density[3], density[4], density[5])).toBeLessThanOrEqual(Math.min(density[0], density[1], density[2]) + 0.02);
  });

  it('takes picked seams by the whole mesh, and says what cannot be kept', () => {
    const sheet = meshSeams(box);
    const { mesh } = unwrapAround(box, [0], { ...OPTIONS, seams: endsOfEdges(sheet.edges, sheet.seam) });
    expect(islandsOf(mesh).count).toBe(6);
    expect(() => unwrapAround(box, [0, 1, 2, 3, 4, 5], OPTIONS)).toThrow('Every island is kept');
    expect(() => unwrapAround(box, [99], OPTIONS)).toThrow('no face 99 to keep');
    expect(unwrapAround(box, [], OPTIONS).mesh.uvs).toEqual(unwrap(box, OPTIONS).mesh.uvs);
  });
});

describe('seams', () => {
  it('are the borders of islands and of the mesh, and cutting along them gives the same islands', () => {
    const seams = meshSeams(box);
    expect(seams.seam.reduce((n, s) => n + s, 0)).toBe(12);
    const again = unwrap(box, { seams: endsOfEdges(seams.edges, seams.seam) }).mesh;
    expect(islandsOf(again).count).toBe(6);
    const sheet = meshSeams(plane(4));
    expect(sheet.seam).toEqual(openEdges(sheet.edges));
    expect(meshSeams({ ...box, uvs: null, faceUvs: null }).seam.every((s) => s === 0)).toBe(true);
  });

  it('run on in rows through points of four edges, to a border, around, or to where edges meet otherwise', () => {
    const sheet = meshSeams(plane(4));
    const lengths = [...sheet.seam.keys()].map((e) => edgeRow(sheet, e).length);
    // three inner rows each way of four edges; edges on the border stand alone
    expect(lengths.filter((n) => n === 4)).toHaveLength(24);
    expect(lengths.filter((n) => n === 1)).toHaveLength(16);
    expect(edgeRow(meshSeams(cube()), 0)).toEqual([0]);
  });
});
