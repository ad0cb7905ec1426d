import type { MeshFile, MeshFormat, MeshFormatId, PolyMesh, SceneFacts } from '@estampe/core';
import {
  ByteWindow,
  EstampeError,
  faceCount,
  lossOf,
  MESH_FORMATS,
  NO_INDEX,
  polyMesh,
  toErrorRecord,
  triangulate,
  triangleVerts,
} from '@estampe/core';
import { unzipSync, zipSync } from 'fflate';
import { validateBytes } from 'gltf-validator';
import { MESH_CODECS, readMesh, writeMesh } from '../src';
import { cornersOf, richMesh } from './rich-mesh';

const SCENE: SceneFacts = { metresPerUnit: 0.01, up: 'z', boundary: 'edge-only', uv: 'corners' };
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
/** How a binary layer of USD begins. */
const BINARY_USD = Uint8Array.of(0x50, 0x58, 0x52, 0x2d, 0x55, 0x53, 0x44, 0x43, 0, 0, 0);
const textOf = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);
const written = (Object.entries(MESH_FORMATS) as [MeshFormatId, MeshFormat][]).filter(([, f]) => f.written);
const codeOf = async (reading: Promise<unknown>): Promise<string> =>
  reading.then(
    () => 'read',
    (error: unknown) => (error instanceof EstampeError ? error.code : `crash: ${String(error)}`),
  );

/** A file that comes in pieces, each of which writes over the one before. */
function inPieces(bytes: Uint8Array, pieceBytes: number): ByteWindow {
  let at = 0;
  const piece = new Uint8Array(pieceBytes);
  const next = (): Uint8Array => {
    const from = at;
    at = Math.min(bytes.length, from + pieceBytes);
    piece.set(bytes.subarray(from, at));
    return piece.subarray(0, at - from);
  };
  return new ByteWindow({ size: bytes.length, next });
}
/** All that reading has to say. */
const outcomeOf = (reading: Promise<MeshFile>): Promise<unknown> =>
  reading.then(
    (file) => file,
    (error: unknown) => (error instanceof EstampeError ? { ...toErrorRecord(error), stack: '' } : `crash: ${String(error)}`),
  );

/** The mesh as a format that holds only some of it gives it back. */
function kept(mesh: PolyMesh, { holds }: MeshFormat): PolyMesh {
  const normals = holds.normals === 'corners' ? {} : { normals: null, faceNormals: null };
  const sections = mesh.sections.map((s) =>
    holds.groups === 'all' ? s : { object: '', group: holds.groups === 'groups' ? s.group : '', material: '', smoothing: '' },
  );
  const whole = mesh.faceUvs?.map((t) => (t === NO_INDEX ? (mesh.uvs?.length ?? 0) / 2 : t)) ?? null;
  const uvs = Float32Array.from([...(mesh.uvs ?? []), ...new Array<number>(12).fill(0)]);
  return {
    ...mesh,
    ...normals,
    ...(holds.uvs === 'none' ? { uvs: null, faceUvs: null } : holds.uvs === 'complete' ? { uvs, faceUvs: whole } : {}),
    colors: holds.colours ? mesh.colors : null,
    creases: holds.creases ? mesh.creases : null,
    sections,
  };
}
const namesOf = (mesh: PolyMesh): unknown[] => Array.from(mesh.faceSections, (s) => mesh.sections[s]);

describe.each(written)('%s', (id, format) => {
  it('gives back what it holds, and names what it cannot hold', async () => {
    const mesh = richMesh();
    const { bytes, lost } = await writeMesh(mesh, `rich${format.endings[0]}`, { scene: SCENE });
    const back = await readMesh(bytes);
    const wanted = kept(mesh, format);
    const { holds } = format;
    if (holds.order) {
      expect(back.mesh.positions).toEqual(mesh.positions);
      expect(back.mesh.faceVerts).toEqual(mesh.faceVerts);
      expect(back.mesh.faceOffsets).toEqual(mesh.faceOffsets);
      expect(cornersOf(back.mesh)).toEqual(cornersOf(wanted));
      expect(namesOf(back.mesh)).toEqual(namesOf(wanted));
      expect(back.mesh.creases).toEqual(wanted.creases);
    } else expect(faceCount(back.mesh)).toBe(triangulate(mesh).faces.length);
    if (id === 'usd') expect(back.scene).toEqual(SCENE);
    const all = [['uvs', /UVs/], ['normals', /normals/], ['groups', /names of objects/], ['creases', /creases/], ['units', /unit and up/]] as const; // prettier-ignore
    for (const [fact, words] of all) {
      const whole = { uvs: 'any', normals: 'corners', groups: 'all', creases: true, units: true }[fact];
      if (holds[fact] === whole) expect(lost ?? '').not.toMatch(words);
      else expect(lost).toMatch(words);
    }
  });

  it('is known by its content, whatever the name, and written equal twice', async () => {
    const { bytes } = await writeMesh(richMesh(), `low${format.endings[0].toUpperCase()}`);
    const again = await writeMesh(richMesh(), `low${format.endings[0]}`);
    expect(again.bytes).toEqual(bytes);
    expect(faceCount((await readMesh(bytes)).mesh)).toBeGreaterThan(3);
  });

  it('refuses every cut-off file, with a reason', async () => {
    const { bytes } = await writeMesh(richMesh(), `low${format.endings[0]}`);
    for (let share = 0; share < 0.98; share += 0.037) {
      const cut = bytes.subarray(0, Math.floor(share * bytes.length));
      const codes = ['TRUNCATED', 'NOT_THIS_FORMAT', 'NO_FACES', 'EMPTY_FILE', 'BAD_NUMBER', 'INDEX_OUT_OF_RANGE'];
      expect(codes).toContain(await codeOf(readMesh(cut)));
    }
  });

  it('keeps a mesh far from zero as exact as it can', async () => {
    const near = richMesh();
    const far = polyMesh({ ...near, origin: [524288, 0, -65536] });
    const { bytes, lost } = await writeMesh(far, `far${format.endings[0]}`);
    const { mesh } = await readMesh(bytes);
    if (format.holds.farAway) {
      expect(cornersOf(mesh).points).toEqual(cornersOf(far).points);
    } else expect(lost).toMatch(/far from zero/);
  });
});

it('OBJ, the plain name for a file without ending', async () => {
  expect(textOf((await writeMesh(richMesh(), 'low')).bytes)).toMatch(/^# Estampe: 9 points, 4 faces/);
  expect(await codeOf(readMesh(text('\u0089PNG\r\n\u001a\n\0')))).toBe('NOT_THIS_FORMAT');
  expect(await codeOf(readMesh(new Uint8Array(0)))).toBe('EMPTY_FILE');
  expect(await codeOf(readMesh(BINARY_USD))).toBe('UNSUPPORTED');
  const plain = polyMesh({ ...richMesh(), creases: null });
  expect(lossOf(plain, 'obj', undefined)).toBeNull();
});

describe('PLY of other writers', () => {
  const head = (lines: string): string => `ply\nformat ascii 1.0\n${lines}\nend_header\n`;
  const POINTS = 'element vertex 3\nproperty float x\nproperty float y\nproperty float z';
  it('text: names of UVs and colours, whole colours, what else is there passed over with a word', async () => {
    const { mesh, warnings } = await readMesh(
      text(
        `${head(`comment by hand\n${POINTS}\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nproperty float quality\nproperty float s\nproperty float t\nelement face 1\nproperty list uchar int vertex_index\nproperty uchar flags\nelement edge 1\nproperty int vertex1\nproperty int vertex2`)}0 0 0 255 0 51 9 0.1 0.2\n1 0 0 0 255 51 9 0.3 0.2\r\n0 1 0 0 0 255 9\n0.1 0.4\n3 0 1 2 7\n0 1\n`,
      ),
    );
    expect([...(mesh.colors ?? [])].slice(0, 3)).toEqual([1, 0, Math.fround(0.2)]);
    expect([...(mesh.uvs ?? [])].map((x) => Number(x.toFixed(3)))).toEqual([0.1, 0.2, 0.3, 0.2, 0.1, 0.4]);
    expect(mesh.faceUvs).toEqual(mesh.faceVerts);
    expect(warnings.join()).toMatch(/quality of points; flags of faces; 1 of edge/);
  });

  it('UVs at the corners: read, or passed over without a word where nobody asks for them', async () => {
    const file = text(`${head(`${POINTS}\nelement face 1\nproperty list uchar int vertex_indices\nproperty list uchar float texcoord\nproperty uchar flags`)}0 0 0 1 0 0 0 1 0\n3 0 1 2 6 0.1 0.2 0.3 0.2 0.1 0.4 7\n`); // prettier-ignore
    const read = await readMesh(file);
    expect([...(read.mesh.uvs ?? [])].map((x) => Number(x.toFixed(3)))).toEqual([0.1, 0.2, 0.3, 0.2, 0.1, 0.4]);
    const passed = await readMesh(file, { withoutUvs: true });
    expect({ ...passed, mesh: null }).toEqual({ ...read, mesh: null }); // the flags are told of both times
    expect(read.warnings.join()).toMatch(/flags of faces/);
    expect(passed.mesh).toEqual({ ...read.mesh, uvs: null, faceUvs: null });
  });

  it.each(['little', 'big'])('binary, %s-endian, with doubles and 16 bit indices', async (order) => {
    const little = order === 'little';
    const lines = `ply\nformat binary_${order}_endian 1.0\nelement vertex 4\nproperty double x\nproperty double y\nproperty double z\nelement face 1\nproperty list int ushort vertex_indices\nend_header\n`;
    const view = new DataView(new ArrayBuffer(96 + 4 + 8));
    [5e6, 0, 0, 5e6 + 1, 0, 0, 5e6 + 1, 1, 0, 5e6, 1, 0.5].forEach((x, i) => view.setFloat64(8 * i, x, little));
    view.setInt32(96, 4, little);
    [0, 1, 2, 3].forEach((v, i) => view.setUint16(100 + 2 * i, v, little));
    const bytes = Uint8Array.from([...text(lines), ...new Uint8Array(view.buffer)]);
    const { mesh } = await readMesh(bytes);
    expect(mesh.origin[0]).not.toBe(0);
    expect(cornersOf(mesh).points).toEqual(['5000000 0 0', '5000001 0 0', '5000001 1 0', '5000000 1 0.5']);
  });

  describe('binary of the layout that most files have, read many at once', () => {
    const [P, F] = [3000, 2500];
    /** Points on a line, faces of three to six; `odd` changes a value's bytes. */
    const fileOf = (
      order: 'little' | 'big',
      counts: 'uchar' | 'ushort',
      odd?: (values: { points: number[]; faces: number[][] }) => void,
    ) => {
      const values = {
        points: Array.from({ length: 3 * P }, (_, i) => Math.fround(Math.sin(i))),
        faces: Array.from({ length: F }, (_, f) => Array.from({ length: 3 + (f % 4) }, (_c, k) => (7 * f + k) % P)),
      };
      odd?.(values);
      const lines = `ply\nformat binary_${order}_endian 1.0\ncomment group 2 stem\nelement vertex ${P}\nproperty float x\nproperty uchar mark\nproperty float y\nproperty float z\nelement face ${F}\nproperty list ${counts} int vertex_indices\nproperty double weight\nproperty int group\nend_header\n`;
      const view = new DataView(new ArrayBuffer(13 * P + F * 64));
      const little = order === 'little';
      let at = 0;
      for (let i = 0; i < P; i++) {
        view.setFloat32(at, values.points[3 * i], little);
        view.setUint8(at + 4, i & 255);
        view.setFloat32(at + 5, values.points[3 * i + 1], little);
        view.setFloat32(at + 9, values.points[3 * i + 2], little);
        at += 13;
      }
      values.faces.forEach((face, f) => {
        if (counts === 'uchar') view.setUint8(at, face.length);
        else view.setUint16(at, face.length, little);
        at += counts === 'uchar' ? 1 : 2;
        face.forEach((v, k) => view.setInt32(at + 4 * k, v, little));
        at += 4 * face.length;
        view.setFloat64(at, f, little);
        view.setInt32(at + 8, f % 3, little);
        at += 12;
      });
      return Uint8Array.from([...text(lines), ...new Uint8Array(view.buffer, 0, at)]);
    };
    /** At once, and in pieces that end anywhere. */
    const outcomes = (file: Uint8Array) =>
      Promise.all([undefined, 77, 5000].map((n) => outcomeOf(readMesh(n === undefined ? file : inPieces(file, n)))));

    it.each(['little', 'big'] as const)('is what value by value gives, %s-endian', async (order) => {
      const one = await readMesh(fileOf(order, 'ushort'));
      expect(one.mesh.faceVerts).toHaveLength(Array.from({ length: F }, (_, f) => 3 + (f % 4)).reduce((sum, n) => sum + n, 0));
      expect(one.mesh.sections.map((s) => s.group)).toEqual(['group 0', 'group 1', 'stem']);
      expect(one.warnings.join()).toMatch(/mark of points; weight of faces/);
      for (const found of await outcomes(fileOf(order, 'uchar'))) expect(found).toEqual(one);
    });

    it('goes where it is wanted, and tells how many faces there will be before they come', async () => {
      const told: (number | string)[] = [];
      const allocate = (bytes: number): SharedArrayBuffer => (told.push('taken'), new SharedArrayBuffer(bytes));
      const { mesh } = await readMesh(fileOf('little', 'uchar'), { allocate, onCounts: ({ points, faces }) => told.push(points, faces) });
      expect(told.slice(0, 3)).toEqual([P, F, 'taken']);
      const plain = (await readMesh(fileOf('little', 'uchar'))).mesh;
      for (const key of ['positions', 'faceOffsets', 'faceVerts'] as const) expect(mesh[key].slice()).toEqual(plain[key]);
      expect([mesh.positions.buffer, mesh.faceOffsets.buffer]).toEqual([expect.any(SharedArrayBuffer), expect.any(SharedArrayBuffer)]);
    });

    it.each([
      ['a point that is not a number', ({ points }) => (points[3 * 1234 + 2] = points[3 * 1700] = NaN), /point 1234 has the value NaN/],
      ['a face of two corners', ({ faces }) => (faces[1999] = [1, 2]), /face 1999 has 2 corners/],
      ['a point that is not there', ({ faces }) => (faces[2001] = [1, 2, P]), /face 2001 names point 3000/],
      ['a negative point', ({ faces }) => (faces[3] = [1, -2, 5]), /face 3 names point -2/],
      ['the last face', ({ faces }) => (faces[F - 1] = [1, 2, P + 5]), /face 2499 names point 3005/],
    ] as [string, (values: { points: number[]; faces: number[][] }) => void, RegExp][])(
      'tells of %s where it is',
      async (_, odd, message) => {
        const [one] = await outcomes(fileOf('little', 'ushort', odd));
        for (const found of await outcomes(fileOf('little', 'uchar', odd))) {
          expect(found).toEqual(one);
          expect(JSON.stringify(found)).toMatch(message);
        }
      },
    );
  });

  it.each([
    ['a count that the file cannot hold', `element vertex 4000000000\nproperty float x\nelement face 1\nproperty list uchar int vertex_indices`, '', 'TRUNCATED'],
    ['a list longer than the file', `${POINTS}\nelement face 1\nproperty list uchar int vertex_indices`, '0 0 0 1 0 0 0 1 0\n4000000000 0 1 2\n', 'BAD_NUMBER'],
    ['an index that is not there', `${POINTS}\nelement face 1\nproperty list uchar int vertex_indices`, '0 0 0 1 0 0 0 1 0\n3 0 1 3\n', 'INDEX_OUT_OF_RANGE'],
    ['half an index', `${POINTS}\nelement face 1\nproperty list uchar int vertex_indices`, '0 0 0 1 0 0 0 1 0\n3 0 1 0.5\n', 'BAD_NUMBER'],
    ['a negative index', `${POINTS}\nelement face 1\nproperty list uchar int vertex_indices`, '0 0 0 1 0 0 0 1 0\n3 0 1 -1\n', 'INDEX_OUT_OF_RANGE'],
    ['not a number', `${POINTS}\nelement face 1\nproperty list uchar int vertex_indices`, '0 0 nan 1 0 0 0 1 0\n3 0 1 2\n', 'BAD_NUMBER'],
    ['points alone', POINTS, '0 0 0 1 0 0 0 1 0\n', 'NO_FACES'],
    ['strips', `${POINTS}\nelement tristrips 1\nproperty list int int vertex_indices`, '0 0 0 1 0 0 0 1 0\n3 0 1 2\n', 'UNSUPPORTED'],
    ['an unknown type', `element vertex 3\nproperty quad x`, '', 'NOT_THIS_FORMAT'],
  ])('refuses %s', async (_, lines, body, code) => {
    expect(await codeOf(readMesh(text(head(lines) + body)))).toBe(code);
  }); // prettier-ignore
});

it('STL text of several solids is one mesh, its points joined', async () => {
  const facet = (a: string, b: string, c: string): string =>
    `facet normal 0 0 1\n outer loop\n vertex ${a}\n vertex ${b}\n vertex ${c}\n endloop\nendfacet\n`;
  const { mesh } = await readMesh(text(`solid one\n${facet('0 0 0', '1 0 0', '1 1 0')}endsolid one\nsolid two\n${facet('0 0 -0', '1 1 0', '0 1 0')}endsolid\n`)); // prettier-ignore
  expect([...mesh.faceVerts]).toEqual([0, 1, 2, 0, 2, 3]);
  expect(await codeOf(readMesh(text('solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 1 1 1\nvertex 2 2 2\n')))).toBe('NOT_THIS_FORMAT'); // prettier-ignore
});

describe('USD of other writers', () => {
  const mesh = (inside: string, meta = ''): string =>
    `def Mesh "Plate" ${meta}{\n int[] faceVertexCounts = [4]\n int[] faceVertexIndices = [0, 1, 2, 3]\n point3f[] points = [(0, 0, 0), (1, 0, 0),\n  (1, 1, 0), # a comment\n (0, 1, 0)]\n${inside}\n}\n`;
  const usd = (body: string, meta = ''): Promise<MeshFile> => readMesh(text(`#usda 1.0\n${meta}\n${body}`));

  it('applies transforms in their order, with pivots and turns, and says so', async () => {
    const { mesh: m, warnings } = await usd(
      `def Xform "World" {\n double3 xformOp:translate = (10, 0, 0)\n float3 xformOp:rotateXYZ = (90, 0, 90)\n uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ"]\n` +
        `${mesh(' double3 xformOp:translate:pivot = (1, 0, 0)\n double3 xformOp:scale = (2, 2, 2)\n uniform token[] xformOpOrder = ["xformOp:translate:pivot", "xformOp:scale", "!invert!xformOp:translate:pivot"]')}}\n`,
    );
    // (x, y, 0) -> scaled about (1, 0, 0): (2x - 1, 2y, 0) -> about X by 90: (2x - 1, 0, 2y) -> about Z by 90: (0, 2x - 1, 2y) -> + (10, 0, 0)
    const rounded = [...m.positions].map((x) => Math.round(x * 1e5) / 1e5 + 0);
    expect(rounded).toEqual([10, -1, 0, 10, 1, 0, 10, 1, 2, 10, -1, 2]);
    expect(warnings.join()).toMatch(/transforms of 1 of 1 meshes were applied/);
  });

  it('turns the faces of a mirrored or left-handed mesh, with their UVs', async () => {
    const uvs = ' texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] ( interpolation = "vertex" )';
    const plain = await usd(mesh(uvs));
    const left = await usd(mesh(` uniform token orientation = "leftHanded"\n${uvs}`));
    const mirrored = await usd(mesh(` float3 xformOp:scale = (-1, 1, 1)\n uniform token[] xformOpOrder = ["xformOp:scale"]\n${uvs}`));
    const both = await usd(mesh(` uniform token orientation = "leftHanded"\n float3 xformOp:scale = (-1, 1, 1)\n uniform token[] xformOpOrder = ["xformOp:scale"]\n${uvs}`)); // prettier-ignore
    expect([plain, left, mirrored, both].map((f) => [...f.mesh.faceVerts].join(''))).toEqual(['0123', '0321', '0321', '0123']);
    for (const { mesh: m } of [plain, left, mirrored, both]) expect([...(m.faceUvs ?? [])]).toEqual([...m.faceVerts]);
  });

  it('keeps stored normals on the side that the faces show, mirrored or not, in USD and glTF', async () => {
    const up = ' normal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0.6, 0, 0.8)] ( interpolation = "vertex" )';
    const mirror = ' float3 xformOp:scale = (-1, 1, 1)\n uniform token[] xformOpOrder = ["xformOp:scale"]\n';
    const { mesh: m } = await usd(mesh(`${mirror}${up}`));
    const rounded = (values: Float32Array | null): number[] => [...(values ?? [])].map((x) => Math.round(x * 1e5) / 1e5 + 0);
    expect(rounded(m.normals)).toEqual([0, 0, 1, 0, 0, 1, 0, 0, 1, -0.6, 0, 0.8]);
    const written = JSON.parse(textOf(await MESH_CODECS.gltf.write(m, { name: 'a.gltf' }))) as {
      nodes: { mesh?: number; scale?: number[] }[];
    };
    for (const node of written.nodes) if (node.mesh !== undefined) node.scale = [-1, 1, 1];
    const { mesh: back } = await readMesh(text(JSON.stringify(written)));
    const normals = rounded(back.normals);
    for (let i = 2; i < normals.length; i += 3) expect(normals[i]).toBeGreaterThan(0.7);
  });

  it('takes stored normals of left-handed meshes to the side of their turned faces, whichever side they were written for', async () => {
    for (const z of [1, -1]) {
      const normals = ` normal3f[] normals = [(0, 0, ${z}), (0, 0, ${z}), (0, 0, ${z}), (0, 0, ${z})] ( interpolation = "vertex" )`;
      const { mesh: m } = await usd(mesh(` uniform token orientation = "leftHanded"\n${normals}`));
      for (let i = 2; i < 12; i += 3) expect(m.normals?.[i]).toBe(-1);
    }
  });

  it('read a glTF nested without end and with images elsewhere, and refuse in plain words what refers to what is not there', async () => {
    const written = async (): Promise<Record<string, unknown[]>> => JSON.parse(textOf(await MESH_CODECS.gltf.write(richMesh(), { name: 'a.gltf' }))) as Record<string, unknown[]>; // prettier-ignore
    const deep = { ...(await written()), nodes: [...Array.from({ length: 60_000 }, (_, i) => ({ children: [i + 1] })), { mesh: 0 }], scenes: [{ nodes: [0] }] }; // prettier-ignore
    const { mesh: m } = await readMesh(
      text(JSON.stringify({ ...deep, images: [{ uri: 'elsewhere.png' }, { bufferView: 999 }], animations: [null] })),
    );
    expect(m.faceOffsets.length - 1).toBe(8);
    const without = { ...(await written()), bufferViews: [] };
    await expect(readMesh(text(JSON.stringify(without)))).rejects.toThrow(/stand in a part of its data that is not there/);
    const lost = { ...(await written()), nodes: [{ mesh: 7 }], scenes: [{ nodes: [0] }] };
    await expect(readMesh(text(JSON.stringify(lost)))).rejects.toThrow(/node 0 of this glTF shows mesh 7, which is not there/);
    const huge = { ...(await written()), nodes: [{ mesh: 0, scale: [1e38, 1, 1e38] }], scenes: [{ nodes: [0] }] };
    await expect(readMesh(text(JSON.stringify(huge)))).rejects.toThrow(/mend its transforms|more than can be computed with/);
  });

  it('asks which of several UV sets, and takes the one that is asked for', async () => {
    const two = mesh(
      ' texCoord2f[] primvars:second = [(0, 0), (1, 0), (1, 1), (0, 1)] ( interpolation = "faceVarying" )\n texCoord2f[] primvars:st = [(0.5, 0.5)] ( interpolation = "faceVarying" )\n int[] primvars:st:indices = [0, 0, 0, 0]',
    );
    const file = await usd(two);
    expect(file.uvSets).toEqual(['second', 'st']);
    expect([...(file.mesh.uvs ?? [])]).toEqual([0.5, 0.5]);
    const second = await readMesh(text(`#usda 1.0\n${two}`), { uvSet: 'second' });
    expect([...(second.mesh.uvs ?? [])].slice(0, 4)).toEqual([0, 0, 1, 0]);
    await expect(readMesh(text(`#usda 1.0\n${two}`), { uvSet: 'third' })).rejects.toThrow(
      /no set of UVs named third; there are second, st/,
    );
  });

  it('joins meshes, leaves out what is hidden or only a class, and says what it does not follow', async () => {
    const {
      mesh: m,
      warnings,
      scene,
    } = await usd(
      `${mesh(' color3f[] primvars:displayColor = [(1, 0, 0)]')}${mesh(' token visibility = "invisible"')}class Mesh "C" {\n}\n${mesh('')}def Sphere "S" {\n double radius = 1\n}\n` +
        `def "Away" ( prepend references = @../else.usda@</Root> (offset = 1)\n variants = { string look = "wet" } ) {\n variantSet "look" = { "wet" { ${mesh('')} } "dry" { } }\n}\n`,
      '(\n "A note; with (brackets)"\n metersPerUnit = 0.001\n upAxis = "Y"\n customLayerData = { string a = "b"; dictionary c = { int[] d = [1, 2] } }\n)',
    );
    expect(faceCount(m)).toBe(2);
    expect(m.sections.map((s) => s.object)).toEqual(['Plate']);
    expect(scene).toEqual({ metresPerUnit: 0.001, up: 'y' });
    expect(warnings.join(' ')).toMatch(
      /2 meshes were joined.*1 variants look.*hidden mesh.*1 mesh that is only a class.*1 Sphere.*else\.usda/s,
    );
  });

  it('takes the first of values over time, and creases that are chains or single edges', async () => {
    const { mesh: m } = await usd(
      `def Mesh "M" {\n int[] faceVertexCounts = [4]\n int[] faceVertexIndices = [0, 1, 2, 3]\n point3f[] points.timeSamples = {\n 1: [(0, 0, 5), (1, 0, 5), (1, 1, 5), (0, 1, 5)],\n 2: [(0, 0, 6), (1, 0, 6), (1, 1, 6), (0, 1, 6)],\n }\n int[] creaseIndices = [0, 1, 2, 2, 3]\n int[] creaseLengths = [3, 2]\n float[] creaseSharpnesses = [2.5, 10]\n}\n`,
    );
    expect(m.positions[2]).toBe(5);
    expect(m.creases).toMatchObject({
      edges: Uint32Array.from([0, 1, 1, 2, 2, 3]),
      edgeSharpness: Float32Array.from([2.5, 2.5, Infinity]),
    });
  });

  it.each([
    ['counts that do not fit', mesh('').replace('[4]', '[5]'), 'BAD_NUMBER'],
    ['an index out of range', mesh('').replace('2, 3]', '2, 4]'), 'INDEX_OUT_OF_RANGE'],
    ['UVs for other corners', mesh(' texCoord2f[] primvars:st = [(0, 0)] ( interpolation = "faceVarying" )'), 'BAD_NUMBER'],
    ['an endless number', mesh('').replace('(0, 0, 0)', '(0, 0, 1e400)'), 'BAD_NUMBER'],
    ['infinity', mesh('').replace('(0, 0, 0)', '(0, inf, 0)'), 'BAD_NUMBER'],
    ['prims nested without end', 'def Xform "a" {\n'.repeat(300), 'TOO_LARGE'],
    ['brackets nested without end', `def Xform "a" {\n int[] x = ${'['.repeat(100_000)}\n}`, 'TOO_LARGE'],
    ['only references', 'def "a" ( references = @b.usda@ ) {\n}\n', 'UNSUPPORTED'],
    ['an unknown transform', mesh(' double xformOp:shear = 1\n uniform token[] xformOpOrder = ["xformOp:shear"]'), 'UNSUPPORTED'],
  ])('refuses %s', async (_, body, code) => {
    expect(await codeOf(usd(body))).toBe(code);
  });

  it('packages: the first layer, stored and aligned; packed or binary ones refused', async () => {
    const bytes = await MESH_CODECS.usdz.write(richMesh());
    const view = new DataView(bytes.buffer, bytes.byteOffset);
    expect((30 + view.getUint16(26, true) + view.getUint16(28, true)) % 64).toBe(0);
    expect(view.getUint16(8, true)).toBe(0);
    const layer = Object.values(unzipSync(bytes))[0];
    expect(await codeOf(readMesh(zipSync({ '../../a.usda': [layer, { level: 0 }] })))).toBe('read');
    expect(await codeOf(readMesh(zipSync({ 'a.usda': new Uint8Array(50_000_000) })))).toBe('TOO_LARGE');
    expect(await codeOf(readMesh(zipSync({ 'a.usdc': [BINARY_USD, { level: 0 }] })))).toBe('UNSUPPORTED');
    const encrypted = zipSync({ 'a.usda': [layer, { level: 0 }] });
    encrypted[new DataView(encrypted.buffer).getUint32(encrypted.length - 6, true) + 8] |= 1;
    await expect(readMesh(encrypted)).rejects.toThrow(/a.usda in this package is encrypted/);
    const twice = zipSync({ 'a.usda': [layer, { level: 0 }], 'b.usda': [layer, { level: 0 }] });
    for (let i = 0; i < twice.length; i++) if (textOf(twice.subarray(i, i + 6)) === 'b.usda') twice[i] = 97;
    await expect(readMesh(twice)).rejects.toThrow(/a.usda stands twice in this package/);
    expect(await codeOf(readMesh(zipSync({ 'a.txt': [text('hello'), { level: 0 }] })))).toBe('NOT_THIS_FORMAT');
  });
});

describe('glTF', () => {
  const json = async (change: (g: Record<string, never[]>) => void): Promise<Uint8Array> => {
    const g = JSON.parse(textOf(await MESH_CODECS.gltf.write(richMesh(), { name: 'a.gltf' }))) as Record<string, never[]>;
    change(g);
    return text(JSON.stringify(g));
  };

  it('passes the validator, in both forms, and gives the surface back under its node', async () => {
    for (const name of ['a.glb', 'a.gltf']) {
      const bytes = await MESH_CODECS.gltf.write(richMesh(), { name, scene: SCENE });
      const { issues } = await validateBytes(bytes);
      expect(issues.messages.filter((m) => m.severity < 2)).toEqual([]);
    }
    const { mesh, scene, warnings } = await readMesh(await MESH_CODECS.gltf.write(richMesh(), { scene: { metresPerUnit: 0.5, up: 'z' } }));
    const verts = triangleVerts(richMesh(), triangulate(richMesh()));
    // z up at half a metre: x, y, z stand at x, z, -y halved
    const wanted = Array.from(verts, (v) => { const [x, y, z] = richMesh().positions.subarray(3 * v, 3 * v + 3); return [x / 2, z / 2, -y / 2]; }).flat(); // prettier-ignore
    Array.from(mesh.faceVerts).forEach((v, c) => { for (let k = 0; k < 3; k++) expect(mesh.positions[3 * v + k]).toBeCloseTo(wanted[3 * c + k], 6); }); // prettier-ignore
    expect(scene).toEqual({ metresPerUnit: 1, up: 'y' });
    expect(warnings.join()).toMatch(/transforms of 1 of 1/);
    const { corners } = triangulate(richMesh());
    const uvs = cornersOf(richMesh()).uvs;
    cornersOf(mesh).uvs.forEach((uv, c) => expect(uv).toBe(uvs[corners[c]] === 'none' ? '0.000000 0.000000' : uvs[corners[c]]));
  });

  it.each([
    ['compressed data', (g: never) => Object.assign(g, { extensionsRequired: ['KHR_draco_mesh_compression'] }), 'UNSUPPORTED'],
    ['data elsewhere', (g: never) => Object.assign(g['buffers'][0], { uri: '../../secret.bin' }), 'UNSUPPORTED'],
    ['a count that it cannot hold', (g: never) => Object.assign(g['accessors'][0], { count: 4e9 }), 'TRUNCATED'],
    ['zeros that are only claimed', (g: never) => Object.assign(g['accessors'][1], { count: 900_000, bufferView: undefined }), 'TRUNCATED'],
    ['a node under itself', (g: never) => Object.assign(g['nodes'][0], { children: [0] }), 'BAD_TOPOLOGY'],
    ['a child that is not there', (g: never) => Object.assign(g['nodes'][0], { children: [7] }), 'BAD_TOPOLOGY'],
    ['no asset', (g: never) => Object.assign(g, { asset: 7 }), 'NOT_THIS_FORMAT'],
    ['nothing to see', (g: never) => Object.assign(g, { scenes: [{ nodes: [] }] }), 'NO_FACES'],
  ])('refuses %s', async (_, change, code) => {
    expect(await codeOf(readMesh(await json(change as never)))).toBe(code);
  });
});

it('text whose lines and numbers are cut between pieces is read the same', async () => {
  const ply = `ply\nformat ascii 1.0\ncomment ${'group 1 rim '.repeat(9)}\nelement vertex 4\nproperty float x\nproperty float y\nproperty double z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0.125 0 -1e-3\n1 0\n0 1 1 0 0 1 1234567.25\n4 0 1 2 3\n`;
  const obj = '# a square\nv 0 0 0\nv 1 0 0.5\r\nv 1 \\\n1 0\nv 0 1 -12.0625\nvt 0 0\ng some \\\r\nrim\nf 1 2 \\\n 3 4\nf 1/1 2/1 3/1';
  for (const file of [ply, obj].map(text)) {
    const whole = await readMesh(file);
    for (let n = 1; n < 60; n++) expect(await readMesh(inPieces(file, n))).toEqual(whole);
    expect(whole.mesh.positions[11]).not.toBe(0);
  }
});

/** Damage without end: bytes and pieces of a file changed at random from a seed. `FUZZ` sets how often. */
describe.each(written)('damaged %s', (_, format) => {
  it('is read or refused, never more, in pieces as at once', async () => {
    let seed = 12345;
    const random = (n: number): number => {
      seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
      return Math.floor((seed / 2 ** 32) * n);
    };
    const { bytes: whole } = await writeMesh(richMesh(), `a${format.endings[0]}`, { scene: SCENE });
    for (let run = Number(process.env['FUZZ'] ?? 1000); run > 0; run--) {
      let bytes = Uint8Array.from(whole);
      for (let n = 1 + random(4); n > 0; n--) {
        const at = random(bytes.length);
        const kind = random(4);
        if (kind === 0) bytes[at] = random(256);
        else if (kind === 1) bytes = bytes.slice(0, at);
        else if (kind === 2) bytes = Uint8Array.from([...bytes.subarray(0, at), ...bytes.subarray(random(bytes.length))]);
        else bytes.set(bytes.slice(at, at + 8), random(Math.max(1, bytes.length - 8)));
        if (bytes.length < 9) break;
      }
      const outcome = await outcomeOf(readMesh(bytes));
      if (typeof outcome === 'string') throw new Error(`run ${run}: ${outcome}`);
      expect(await outcomeOf(readMesh(inPieces(bytes, 1 + random(bytes.length))))).toEqual(outcome);
    }
  }, 600_000);
});
