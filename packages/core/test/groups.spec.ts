import type { PolyMesh } from '../src';
import { faceCount, faceGroups, faceLinks, floodedFaces, groupRuns, groupsOfRuns, grownFaces, polyMesh, readObj, regrouped, renamedGroup, shrunkFaces, withGroups, writeObj } from '../src'; // prettier-ignore
import { cube, plane } from './shapes';

const listed = (marked: Uint8Array): number[] => [...marked.keys()].filter((f) => marked[f] === 1);
const only = (mesh: PolyMesh, ...faces: number[]): Uint8Array => Uint8Array.from({ length: faceCount(mesh) }, (_, f) => Number(faces.includes(f))); // prettier-ignore
const grid = plane(5);

describe('groups of faces', () => {
  it('come from groups, else objects, else materials, and are written and read as they were made', () => {
    const mesh = readObj(new TextEncoder().encode('o lid\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl tin\nf 1 2 3\nusemtl brass\nf 1 3 4\n')).mesh; // prettier-ignore
    expect(faceGroups(mesh)).toEqual({ names: ['lid'], of: Uint16Array.of(0, 0) });
    const made = withGroups(mesh, regrouped(faceGroups(mesh), Uint8Array.of(0, 1), 'rim'));
    expect(faceGroups(made).names).toEqual(['lid', 'rim']);
    expect(made.sections.map(({ object, material, group }) => [object, material, group])).toEqual([
      ['lid', 'tin', 'lid'],
      ['lid', 'brass', 'rim'],
    ]);
    const back = readObj(writeObj(made)).mesh;
    expect(faceGroups(back)).toEqual(faceGroups(made));
    expect(() => withGroups(grid, faceGroups(mesh))).toThrow('for 2 faces, and the mesh has 25');
  });

  it('are put into each other, renamed, and stored in runs that are checked', () => {
    const first = regrouped(faceGroups(grid), only(grid, 0, 1, 7), 'cap');
    expect([first.names, groupRuns(first).runs]).toEqual([['', 'cap'], [2, 1, 5, 0, 1, 1, 17, 0]]); // prettier-ignore
    expect(groupsOfRuns(groupRuns(first), 25)).toEqual(first);
    const second = renamedGroup(regrouped(first, only(grid, 24), 'foot'), 'cap', 'foot');
    expect([second.names, listed(second.of.map(Number) as never)]).toEqual([['', 'foot'], [0, 1, 7, 24]]); // prettier-ignore
    expect(regrouped(second, new Uint8Array(25).fill(1), 'all').names).toEqual(['all']);
    for (const runs of [[24, 0], [26, 0], [25, 2]]) expect(() => groupsOfRuns({ names: ['', 'cap'], runs }, 25)).toThrow(/groups? /); // prettier-ignore
  });
});

describe('marking faces', () => {
  it('grows to neighbours and shrinks from others, not from open borders', () => {
    const links = faceLinks(grid);
    expect(listed(grownFaces(links, only(grid, 12)))).toEqual([7, 11, 12, 13, 17]);
    expect(listed(shrunkFaces(links, grownFaces(links, only(grid, 12))))).toEqual([12]);
    expect(listed(shrunkFaces(links, new Uint8Array(25).fill(1)))).toHaveLength(25);
    expect(listed(shrunkFaces(links, only(grid, 0, 1, 5, 6)))).toEqual([0]);
  });

  it('floods to creases, bends, seams of UVs and borders of groups, and no further than the piece', () => {
    const box = cube();
    const all = { bend: null, seams: false, groups: null };
    expect(listed(floodedFaces(faceLinks(box), 0, all))).toHaveLength(6);
    expect(listed(floodedFaces(faceLinks(box), 0, { ...all, bend: Math.PI / 3 }))).toEqual([0]);
    const { of } = regrouped(faceGroups(grid), only(grid, 2, 7, 12, 17, 22), 'stripe');
    expect(listed(floodedFaces(faceLinks(grid), 0, { ...all, groups: of }))).toHaveLength(10);
    // a crease between the second and third column of faces
    const [a, b] = [2, 8];
    const creased: PolyMesh = { ...grid, creases: { edges: Uint32Array.from([...Array(5).keys()].flatMap((j) => [a + 6 * j, b + 6 * j])), edgeSharpness: new Float32Array(5).fill(2), points: new Uint32Array(), pointSharpness: new Float32Array() } }; // prettier-ignore
    expect(listed(floodedFaces(faceLinks(creased), 0, { ...all, bend: 1 }))).toHaveLength(10);
    const uvs = grid.uvs ?? new Float32Array();
    const faceUvs = grid.faceUvs?.map((t, c) => (Math.floor(c / 4) % 5 < 2 ? t : t + uvs.length / 2)) ?? null;
    const parted: PolyMesh = { ...grid, uvs: Float32Array.of(...uvs, ...uvs), faceUvs };
    expect(listed(floodedFaces(faceLinks(parted), 0, { ...all, seams: true }))).toHaveLength(10);
  });

  it('links each face of an edge where three meet to the next', () => {
    const fin = polyMesh({
      positions: new Float32Array(15).map((_, i) => i % 4),
      faceVerts: new Uint32Array([0, 1, 2, 1, 0, 3, 0, 1, 4]),
      faceOffsets: new Uint32Array([0, 3, 6, 9]),
    });
    const { starts, faces } = faceLinks(fin);
    expect([[...starts], [...faces]]).toEqual([[0, 1, 3, 4], [1, 0, 2, 1]]); // prettier-ignore
  });
});
