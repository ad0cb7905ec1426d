import type { PolyMesh } from '../src';
import { polyMesh } from '../src';
import { meshOf } from './shapes';

type Lists = readonly (readonly number[])[];

/** A mesh whose UVs are its points seen from above, one a point: one island that may fold over itself. */
function whole(points: Lists, faces: Lists): PolyMesh {
  const bare = meshOf(points, faces);
  const uvs = Float32Array.from(points.flatMap(([x, y, z]) => [0.1 * x + 0.03 * z + 0.4, 0.1 * y + 0.05 * z + 0.4]));
  return polyMesh({ ...bare, uvs, faceUvs: bare.faceVerts });
}

/** The same with an island for each face, or for each group of faces. */
function islands(points: Lists, faces: Lists, group: (face: number) => number = (f) => f): PolyMesh {
  const base = whole(points, faces);
  const known = new Map<string, number>();
  const uvs: number[] = [];
  const faceUvs = faces.flatMap((face, f) =>
    face.map((v) => {
      const key = `${group(f)} ${v}`;
      let at = known.get(key);
      if (at === undefined) {
        known.set(key, (at = uvs.length / 2));
        const shift = 0.07 * group(f);
        uvs.push((base.uvs?.[2 * v] ?? 0) + shift, (base.uvs?.[2 * v + 1] ?? 0) - 0.5 * shift);
      }
      return at;
    }),
  );
  return { ...base, uvs: Float32Array.from(uvs), faceUvs: Uint32Array.from(faceUvs) };
}

/** (n + 1) x (n + 1) points over a grid, lifted so that nothing is flat, and its faces. */
const bump = (x: number, y: number): number => 0.3 * Math.sin(1.3 * x) + 0.2 * Math.cos(1.7 * y);
function gridPoints(nx: number, ny: number): number[][] {
  const out: number[][] = [];
  for (let j = 0; j <= ny; j++) for (let i = 0; i <= nx; i++) out.push([i + 0.1 * Math.sin(j), j + 0.1 * Math.cos(2 * i), bump(i, j)]);
  return out;
}
function gridFaces(nx: number, ny: number, keep: (i: number, j: number) => boolean = () => true): number[][] {
  const out: number[][] = [];
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) {
      const a = j * (nx + 1) + i;
      if (keep(i, j)) out.push([a, a + 1, a + nx + 2, a + nx + 1]);
    }
  return out;
}

/** Points of a box with edges x, y, z at a corner, and its six faces; indices may be shifted. */
const boxPoints = (x: number, y: number, z: number, [w, d, h] = [1, 1, 1]): number[][] =>
  [0, 1, 2, 3, 4, 5, 6, 7].map((i) => [x + (i & 1 ? w : 0), y + (i & 2 ? d : 0), z + (i & 4 ? h : 0)]); // prettier-ignore
const BOX = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
const renamed = (faces: Lists, of: (v: number) => number): number[][] => faces.map((f) => f.map(of));

/** Two boxes of which `same` maps points of the second to points of the first; the others are numbered on. */
function joined(second: number[][], same: Readonly<Record<number, number>>): { points: number[][]; faces: number[][] } {
  const points = boxPoints(0, 0, 0);
  const index = second.map((p, v) => (v in same ? same[v] : points.push(p) - 1));
  return { points, faces: [...BOX, ...renamed(BOX, (v) => index[v])] };
}

/** n quads around a point, closed or open, and triangles likewise. */
function fan(n: number, open: boolean, triangles = false): { points: number[][]; faces: number[][] } {
  const points: number[][] = [[0, 0, 0.5]];
  const faces: number[][] = [];
  const spokes = open ? n + 1 : n;
  for (let i = 0; i < spokes; i++) {
    const a = (2 * Math.PI * i) / (open ? n + 2 : n);
    points.push([Math.cos(a), Math.sin(a), 0.1 * (i % 2)]);
  }
  for (let i = 0; i < n; i++) {
    const next = 1 + ((i + 1) % spokes);
    if (triangles) {
      faces.push([0, 1 + i, next]);
      continue;
    }
    const a = (2 * Math.PI * (i + 0.5)) / (open ? n + 2 : n);
    points.push([1.5 * Math.cos(a), 1.5 * Math.sin(a), -0.2]);
    faces.push([0, 1 + i, points.length - 1, next]);
  }
  return { points, faces };
}

function ring(n: number, twist: boolean): { points: number[][]; faces: number[][] } {
  const points: number[][] = [];
  for (let i = 0; i < n; i++) {
    const a = (2 * Math.PI * i) / n;
    const t = twist ? a / 2 : 0.3;
    for (const s of [-0.4, 0.4]) points.push([(2 + s * Math.cos(t)) * Math.cos(a), (2 + s * Math.cos(t)) * Math.sin(a), s * Math.sin(t)]);
  }
  const faces = Array.from({ length: n }, (_, i) =>
    i + 1 < n || !twist ? [2 * i, 2 * ((i + 1) % n), 2 * ((i + 1) % n) + 1, 2 * i + 1] : [2 * i, 1, 0, 2 * i + 1],
  );
  return { points, faces };
}

function torus(n: number, m: number): { points: number[][]; faces: number[][] } {
  const points: number[][] = [];
  const faces: number[][] = [];
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      const [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * j) / m];
      points.push([(2 + Math.cos(b)) * Math.cos(a), (2 + Math.cos(b)) * Math.sin(a), Math.sin(b)]);
      const at = (x: number, y: number): number => (x % n) * m + (y % m);
      faces.push([at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
    }
  return { points, faces };
}

const flat = (points: Lists, faces: Lists, uv: typeof whole | typeof islands = whole): PolyMesh => uv(points, faces);
const of = ({ points, faces }: { points: number[][]; faces: number[][] }, uv: typeof whole | typeof islands = whole): PolyMesh =>
  uv(points, faces);
const quad = [[0, 0, 0], [2, 0.1, 0.3], [1.8, 1.7, -0.2], [-0.1, 1.9, 0.4]]; // prettier-ignore

/** Small meshes of every kind of place that subdivision has a rule for. Their refined and limit points by OpenSubdiv stand in
 *  fixtures/opensubdiv/meshes.json, made anew by `npm run fixtures`. */
export const NAMED_MESHES: Readonly<Record<string, PolyMesh>> = {
  'one quad': flat(quad, [[0, 1, 2, 3]]),
  'one triangle': flat(quad, [[0, 1, 2]]),
  'one pentagon': flat([...quad, [-0.8, 1, 0]], [[0, 1, 2, 3, 4]]),
  'two quads': flat(gridPoints(2, 1), gridFaces(2, 1)),
  'quad and triangle': flat(gridPoints(2, 1), [[0, 1, 4, 3], [1, 2, 5]]), // prettier-ignore
  'strip of three': flat(gridPoints(3, 1), gridFaces(3, 1), islands),
  'sheet of nine': flat(gridPoints(3, 3), gridFaces(3, 3)),
  'sheet of nine islands': flat(gridPoints(3, 3), gridFaces(3, 3), islands),
  'sheet in two halves': islands(gridPoints(4, 2), gridFaces(4, 2), (f) => (f % 4 < 2 ? 0 : 1)),
  'sheet with a cut that ends inside': cutSheet(),
  'sheet with a hole': flat(
    gridPoints(3, 3),
    gridFaces(3, 3, (i, j) => i !== 1 || j !== 1),
  ),
  'corner that turns inwards': flat(
    gridPoints(2, 2),
    gridFaces(2, 2, (i, j) => i === 0 || j === 0),
  ),
  'sheet of triangles': flat(gridPoints(2, 2), gridFaces(2, 2).flatMap(([a, b, c, d]) => [[a, b, c], [a, c, d]])), // prettier-ignore
  'hexagon among quads': of({ points: [...fan(6, false, true).points.slice(1), [2, 0, 0], [1.5, 1.2, 0.2]], faces: [[0, 1, 2, 3, 4, 5], [0, 6, 7, 1]] }), // prettier-ignore
  'two faces at an inner point': flat([[0, 0, 0], [1, 0, 0.2], [2, 0, 0], [2, 1, 0], [2, -1, 0], [0, -1, 0], [0, 1, 0]], [[0, 1, 2, 3, 6], [2, 1, 0, 5, 4]]), // prettier-ignore
  'three quads around': of(fan(3, false)),
  'five quads around': of(fan(5, false)),
  'six quads around, open': of(fan(6, true)),
  'eight triangles around': of(fan(8, false, true)),
  cube: flat(boxPoints(0, 0, 0), BOX),
  'cube in six islands': flat(boxPoints(0, 0, 0), BOX, islands),
  tetrahedron: flat([[0, 0, 0], [1, 0, 0], [0.4, 1, 0], [0.5, 0.4, 1]], [[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]]), // prettier-ignore
  octahedron: of({ points: [...fan(4, false, true).points, [0, 0, -0.8]], faces: [...fan(4, false, true).faces, [5, 2, 1], [5, 3, 2], [5, 4, 3], [5, 1, 4]] }), // prettier-ignore
  prism: flat([[0, 0, 0], [1, 0, 0], [0.5, 1, 0], [0, 0, 2], [1, 0, 2], [0.5, 1, 2]], [[0, 2, 1], [3, 4, 5], [0, 1, 4, 3], [1, 2, 5, 4], [2, 0, 3, 5]], islands), // prettier-ignore
  pyramid: flat([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0.5, 1]], [[0, 3, 2, 1], [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]), // prettier-ignore
  torus: of(torus(3, 4)),
  'open ring': of(ring(4, false), islands),
  'one-sided ring': of(ring(5, true)),
  'two pieces': flat([...quad, ...quad.map(([x, y, z]) => [x + 4, y, z + 1])], [[0, 1, 2, 3], [4, 5, 6, 7]]), // prettier-ignore
  'bow-tie': flat([...quad, [-2, -0.2, 0], [-2.1, -2, 0.3], [0.1, -1.8, 0]], [[0, 1, 2, 3], [0, 4, 5, 6]]), // prettier-ignore
  'three fans at a point': flat([[0, 0, 0], [1, 0, 0], [1, 1, 0.3], [-1, 0.2, 0], [-1, 1, 0.2], [0.2, -1, 0], [-0.8, -1, 0.4]], [[0, 1, 2], [0, 4, 3], [0, 6, 5]]), // prettier-ignore
  'two cubes that share a point': of(joined(boxPoints(1, 1, 1), { 0: 7 })),
  'two cubes that share an edge': of(joined(boxPoints(1, 1, 0), { 0: 3, 4: 7 })),
  'two cubes that share an edge, in islands': of(joined(boxPoints(1, 1, 0), { 0: 3, 4: 7 }), islands),
  'two cubes with a wall between': of(joined(boxPoints(1, 0, 0), { 0: 1, 2: 3, 4: 5, 6: 7 })),
  'edge of three faces': flat([[0, 0, 0], [0, 1, 0.1], [1, 1, 0], [1, 0, 0], [-1, 1, 0], [-1, 0, 0.2], [0, 1, 1], [0, 0, 1]], [[0, 3, 2, 1], [0, 1, 4, 5], [0, 1, 6, 7]]), // prettier-ignore
  'book of three long pages': book(3),
  'book of four long pages': book(4),
  'neighbours of opposite order': flat(gridPoints(2, 1), [[0, 1, 4, 3], [1, 4, 5, 2]]), // prettier-ignore
  'one flipped face in a sheet': flat(gridPoints(3, 3), gridFaces(3, 3).map((f, i) => (i === 4 ? [...f].reverse() : f))), // prettier-ignore
  'cube with fading and lasting creases': creased(flat(boxPoints(0, 0, 0), BOX, islands), [[0, 1, 2.4], [1, 3, 0.6], [3, 2, 1], [2, 0, Infinity], [4, 5, Infinity], [5, 7, Infinity]], [[6, 1.3]]), // prettier-ignore
  'sheet with creases that end inside and at its border': creased(flat(gridPoints(4, 4), gridFaces(4, 4)), [[6, 11, 1.7], [11, 12, 0.4], [12, 17, 2.2], [17, 22, 0.3], [12, 13, 0.8], [7, 8, Infinity], [8, 9, Infinity], [16, 17, 1]], [[18, 0.5], [6, 2.5]]), // prettier-ignore
  'cube with a ring that fades within a level': creased(flat(boxPoints(0, 0, 0), BOX), [[0, 1, 0.5], [1, 3, 0.5], [3, 2, 0.5], [2, 0, 0.5]], []), // prettier-ignore
  'cube with a ring that fades with a level': creased(flat(boxPoints(5, 6, 7), BOX), [[0, 1, 1], [1, 3, 1], [3, 2, 1], [2, 0, 1]], []), // prettier-ignore
  'cube with a ring that fades after a level': creased(flat(boxPoints(5, 6, 7), BOX, islands), [[0, 1, 1.5], [1, 3, 1.5], [3, 2, 1.5], [2, 0, 1.5]], []), // prettier-ignore
  'cube with three fading edges at a point': creased(flat(boxPoints(0, 0, 0), BOX), [[0, 1, 0.4], [0, 2, 1.2], [0, 4, 1.9]], []), // prettier-ignore
  'pyramid with fading points': creased(flat([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0.5, 1]], [[0, 3, 2, 1], [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]), [[0, 4, 1.5]], [[4, 0.7], [1, 1.3]]), // prettier-ignore
  'sheet with fading creases alone': creased(flat(gridPoints(4, 4), gridFaces(4, 4)), [[6, 11, 1.7], [11, 12, 0.4], [12, 17, 1.2], [17, 22, 0.3], [12, 13, 0.8], [20, 15, 1.5]], [[18, 0.5], [4, 1.5]]), // prettier-ignore
  'two cubes that share an edge, creased up to it': creased(of(joined(boxPoints(1, 1, 0), { 0: 3, 4: 7 })), [[3, 1, 1.5], [7, 6, 2], [3, 2, 0.5]], []), // prettier-ignore
  'a point without faces': flat([...quad, [5, 5, 5]], [[0, 1, 2, 3]]), // prettier-ignore
};

function creased(mesh: PolyMesh, edges: Lists, corners: Lists): PolyMesh {
  return {
    ...mesh,
    creases: {
      edges: Uint32Array.from(edges.flatMap(([a, b]) => [a, b])),
      edgeSharpness: Float32Array.from(edges, ([, , s]) => s),
      points: Uint32Array.from(corners, ([v]) => v),
      pointSharpness: Float32Array.from(corners, ([, s]) => s),
    },
  };
}

function cutSheet(): PolyMesh {
  const base = whole(gridPoints(4, 2), gridFaces(4, 2));
  // the seam runs along the middle row from the left border to the middle point, where it ends
  const uvs = [...(base.uvs ?? []), 0.9, 0.1, 0.95, 0.12];
  const faceUvs = base.faceVerts.map((v, c) => (Math.floor(c / 4) < 4 && v === 5 ? 15 : Math.floor(c / 4) < 4 && v === 6 ? 16 : v));
  return { ...base, uvs: Float32Array.from(uvs), faceUvs };
}

/** Pages of two quads each around a spine of two edges. */
function book(pages: number): PolyMesh {
  const points: number[][] = [[0, 0, 0], [0.1, 0, 1], [0, 0.1, 2]]; // prettier-ignore
  const faces: number[][] = [];
  for (let i = 0; i < pages; i++) {
    const a = (2 * Math.PI * i) / pages;
    const first = points.length;
    for (let k = 0; k < 3; k++) points.push([Math.cos(a), Math.sin(a), k + 0.1 * i]);
    faces.push([0, first, first + 1, 1], [1, first + 1, first + 2, 2]);
  }
  return whole(points, faces);
}
