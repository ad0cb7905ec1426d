import { boundsOf } from '../mesh/bounds';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { eachTriangle } from '../mesh/triangulate';

export interface ClayPicture {
  readonly width: number;
  readonly height: number;
  readonly rgb: Uint8Array; // 3 W H, rows from the top, sRGB
}

const CLAY = [196, 180, 152] as const;
const STAGE = [128, 126, 122] as const;

/** A small picture of a mesh in matte clay under one raking light: parallel view from the front, a little from above and the side.
 *  Samples 2 x 2 a pixel. For lists and reports; the Stage draws its own. */
export function renderClay(mesh: PolyMesh, width: number, height: number, up: 'y' | 'z' = 'y'): ClayPicture {
  const [W, H] = [2 * width, 2 * height];
  const upright = rotation(-0.55, 0.22);
  // z up: what points towards us is -y
  const view = up === 'y' ? upright : upright.map(([x, y, z]) => [x, -z, y] as const);
  const lit = shadesOf(mesh, view);
  const screen = project(mesh.positions, view, W, H);
  const depth = new Float32Array(W * H).fill(-Infinity);
  const shade = new Float32Array(W * H).fill(-1);
  eachTriangle(mesh, (_, i, j, k) => {
    const p = mesh.faceVerts[i], q = mesh.faceVerts[j], r = mesh.faceVerts[k]; // prettier-ignore
    const a = 3 * p, b = 3 * q, c = 3 * r; // prettier-ignore
    const area = (screen[b] - screen[a]) * (screen[c + 1] - screen[a + 1]) - (screen[b + 1] - screen[a + 1]) * (screen[c] - screen[a]);
    if (area === 0) return;
    const x0 = Math.max(0, Math.ceil(Math.min(screen[a], screen[b], screen[c]) - 0.5));
    const x1 = Math.min(W - 1, Math.floor(Math.max(screen[a], screen[b], screen[c]) - 0.5));
    const y0 = Math.max(0, Math.ceil(Math.min(screen[a + 1], screen[b + 1], screen[c + 1]) - 0.5));
    const y1 = Math.min(H - 1, Math.floor(Math.max(screen[a + 1], screen[b + 1], screen[c + 1]) - 0.5));
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const wb = ((x + 0.5 - screen[a]) * (screen[c + 1] - screen[a + 1]) - (y + 0.5 - screen[a + 1]) * (screen[c] - screen[a])) / area;
        const wc = ((screen[b] - screen[a]) * (y + 0.5 - screen[a + 1]) - (screen[b + 1] - screen[a + 1]) * (x + 0.5 - screen[a])) / area;
        const wa = 1 - wb - wc;
        if (wa < 0 || wb < 0 || wc < 0) continue;
        const z = wa * screen[a + 2] + wb * screen[b + 2] + wc * screen[c + 2];
        const at = y * W + x;
        if (z <= depth[at]) continue;
        depth[at] = z;
        shade[at] = wa * lit[p] + wb * lit[q] + wc * lit[r];
      }
  });
  return { width, height, rgb: downsample(shade, width, height) };
}

type Rows = readonly (readonly [number, number, number])[];

function rotation(yawRad: number, pitchRad: number): Rows {
  const [cy, sy, cp, sp] = [Math.cos(yawRad), Math.sin(yawRad), Math.cos(pitchRad), Math.sin(pitchRad)];
  return [
    [cy, 0, sy],
    [sp * sy, cp, -sp * cy],
    [-cp * sy, sp, cp * cy],
  ];
}

function normalise(v: readonly [number, number, number]): readonly [number, number, number] {
  const l = Math.hypot(...v);
  return [v[0] / l, v[1] / l, v[2] / l];
}

/** Points in pixels (x, y down, z towards the eye), fitted into the frame with a margin. */
function project(p: Float32Array, view: Rows, W: number, H: number): Float32Array {
  const out = new Float32Array(p.length);
  for (let i = 0; i < p.length; i += 3)
    for (let k = 0; k < 3; k++) out[i + k] = view[k][0] * p[i] + view[k][1] * p[i + 1] + view[k][2] * p[i + 2];
  const [x0, y0, , x1, y1] = boundsOf(out);
  const scale = 0.88 * Math.min(W / Math.max(x1 - x0, 1e-12), H / Math.max(y1 - y0, 1e-12));
  for (let i = 0; i < out.length; i += 3) {
    out[i] = W / 2 + scale * (out[i] - (x0 + x1) / 2);
    out[i + 1] = H / 2 - scale * (out[i + 1] - (y0 + y1) / 2);
  }
  return out;
}

/** How bright each point is under the light, which stands still beside the eye: float32[P]. */
function shadesOf(mesh: PolyMesh, view: Rows): Float32Array {
  const n = vertexNormals(mesh);
  const light = normalise([-0.75, 0.55, 0.45]);
  const [x, y, z] = [0, 1, 2].map((i) => light[0] * view[0][i] + light[1] * view[1][i] + light[2] * view[2][i]);
  const out = new Float32Array(n.length / 3);
  for (let v = 0; v < out.length; v++) out[v] = 0.34 + 0.74 * Math.max(0, x * n[3 * v] + y * n[3 * v + 1] + z * n[3 * v + 2]);
  return out;
}

function downsample(shade: Float32Array, width: number, height: number): Uint8Array {
  const rgb = new Uint8Array(3 * width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (let s = 0; s < 4; s++) {
          const v = shade[(2 * y + (s >> 1)) * 2 * width + 2 * x + (s & 1)];
          sum += v < 0 ? STAGE[k] : Math.min(255, CLAY[k] * v);
        }
        rgb[3 * (y * width + x) + k] = sum / 4;
      }
  return rgb;
}
