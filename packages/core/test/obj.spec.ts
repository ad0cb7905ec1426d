import type { ErrorCode } from '../src';
import { EstampeError, faceCount, meshFormatOf, pointCount, readObj, refineLevels, withoutMeshEnding, writeObj } from '../src'; // prettier-ignore
import { cube, random } from './shapes';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const codeOf = (run: () => unknown): { code: ErrorCode; line: number | undefined } | null => {
  try {
    run();
    return null;
  } catch (e) {
    if (e instanceof EstampeError) return { code: e.code, line: e.where.line };
    throw e;
  }
};

describe('OBJ', () => {
  it('keeps polygons, order, UVs, normals, groups and names; writing what was read is byte-identical', () => {
    const text =
      'mtllib a.mtl\r\no Bell\r\nv 0 0 0\nv 1e0 0 0\nv 1 1. 0 \\\n\nv .0 +1 -0\nv 0.5 1.5 3.25e-3\nvt 0 0\nvt 1 0\nvt 1 1\nvn 0 0 1\n' +
      'g lip  inner\nusemtl bronze\ns 1\nf 1/1/1 2/2/1 3/3/1 5/1/1 4/1/1\ng crown\nf -5/-3 -4/-2 -3/-1\n';
    const { mesh } = readObj(bytes(text));
    expect([pointCount(mesh), faceCount(mesh)]).toEqual([5, 2]);
    expect([...mesh.faceOffsets]).toEqual([0, 5, 8]);
    expect([...mesh.faceVerts]).toEqual([0, 1, 2, 4, 3, 0, 1, 2]);
    expect(mesh.sections[mesh.faceSections[0]]).toEqual({ object: 'Bell', group: 'lip  inner', material: 'bronze', smoothing: '1' });
    expect(mesh.sections[mesh.faceSections[1]].group).toBe('crown');
    const once = writeObj(mesh);
    expect(writeObj(readObj(once).mesh)).toEqual(once);
  });

  it('leaves out of names what no screen should get, and what is beyond a name', () => {
    const named = (name: string): string =>
      readObj(bytes(`v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl ${name}\nf 1 2 3\n`)).mesh.sections[0].material;
    expect(named('bron\u0007ze\u001b[31m \u202etac\u2066')).toBe('bronze[31m tac');
    expect(named('\u00e9'.repeat(100_000))).toBe('\u00e9'.repeat(200));
  });

  it('writes floats with the fewest digits that read back equal', () => {
    const next = random(7);
    const bits = new Uint32Array(30_000).map(() => Math.floor(next() * 0x7f7fffff) | (next() < 0.5 ? 0x80000000 : 0));
    const values = Float32Array.from([
      ...new Float32Array(bits.buffer),
      0.1,
      1 / 3,
      16777216,
      1e-5,
      123.456,
      -0.00012345678,
      9.9999994,
      999999.9,
    ]).map((x) => (Number.isFinite(x) ? x : 0));
    const positions = values.slice(0, values.length - (values.length % 3));
    const written = writeObj({ ...cube(), positions });
    expect(readObj(written).mesh.positions).toEqual(positions);
    for (const [i, line] of new TextDecoder().decode(written).split('\n').slice(1, 200).entries())
      line
        .split(' ')
        .slice(1)
        .forEach((token, k) => {
          const shortest =
            [1, 2, 3, 4, 5, 6, 7, 8, 9]
              .map((d) => Number(positions[3 * i + k].toPrecision(d)))
              .find((x) => Math.fround(x) === positions[3 * i + k]) ?? 0;
          expect(token.length).toBeLessThanOrEqual(String(shortest).length);
        });
  });

  it('reads point colours behind positions', () => {
    const { mesh } = readObj(bytes('v 0 0 0 1 0.5 0\nv 1 0 0 0 0 1\nv 0 1 0 0.25 0 0\nf 1 2 3\n'));
    expect([...(mesh.colors ?? [])]).toEqual([1, 0.5, 0, 0, 0, 1, 0.25, 0, 0]);
  });

  it.each<[string, string, ErrorCode, number | undefined]>([
    ['nothing', '', 'EMPTY_FILE', undefined],
    ['a picture', '\u0089PNG\r\n\u001a\n\0\0\0', 'NOT_THIS_FORMAT', undefined],
    ['prose', 'Dear all,\n'.repeat(30), 'NOT_THIS_FORMAT', 21],
    ['an index beyond', 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n', 'INDEX_OUT_OF_RANGE', 4],
    ['index zero', 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n', 'INDEX_OUT_OF_RANGE', 4],
    ['NaN', 'v 0 nan 0\n', 'BAD_NUMBER', 1],
    ['1e400', 'v 0 0 0\nv 1e400 0 0\n', 'BAD_NUMBER', 2],
    ['points only', 'v 0 0 0\nv 1 0 0\n', 'NO_FACES', undefined],
    ['a cut-off point', 'v 0 0 0\nv 1 0', 'TRUNCATED', 2],
    ['a cut-off face', 'v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/1 3', 'TRUNCATED', 5],
    ['fewer faces than stated', '# Estampe: 3 points, 2 faces\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n', 'TRUNCATED', undefined],
  ])('refuses %s, saying where', (_, text, code, line) => {
    expect(codeOf(() => readObj(bytes(text)))).toEqual({ code, line });
  });

  it('reads millions of lines without losing one', () => {
    const { mesh } = refineLevels(cube(), 6);
    const back = readObj(writeObj(mesh)).mesh;
    expect(back.positions).toEqual(mesh.positions);
    expect(back.faceUvs).toEqual(mesh.faceUvs);
  });
});

describe('names of mesh files', () => {
  it('have endings that are found and left out in any case', () => {
    expect(meshFormatOf('Low.OBJ')).toBe('obj');
    expect(meshFormatOf('low.glB')).toBe('gltf');
    expect(meshFormatOf('low.obj.zip')).toBeNull();
    expect(withoutMeshEnding('bell.low.Obj')).toBe('bell.low');
    expect(withoutMeshEnding('bell')).toBe('bell');
  });
});
