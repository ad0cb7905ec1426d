import type { PolyMesh, WriteMeshOptions } from '@estampe/core';
import { NO_INDEX, triangulate } from '@estampe/core';
import { Document, WebIO } from '@gltf-transform/core';
import { strFromU8 } from 'fflate';

const NONE = 0xffffffff;

/** Writes a mesh as glTF 2.0, GLB or (by the name's ending) JSON with its data inside: triangles by the one rule, a vertex for each (point, UV,
 *  normal), V turned so that it runs downwards. Where the scene's unit or up axis is known and another than glTF's, the node says so. */
export async function writeGltf(mesh: PolyMesh, { scene, name = '', control }: WriteMeshOptions = {}): Promise<Uint8Array> {
  const document = new Document();
  document.getRoot().getAsset().generator = 'Estampe';
  const buffer = document.createBuffer();
  const { vertices, indices } = splitVertices(mesh);
  control?.onProgress?.(0.5, 'writing');
  const { positions, origin, uvs, normals, colors } = mesh;
  const N = vertices.points.length;
  const values = (width: number, at: (vertex: number, k: number) => number): Float32Array<ArrayBuffer> => {
    const out = new Float32Array(width * N);
    for (let i = 0; i < N; i++) for (let k = 0; k < width; k++) out[width * i + k] = at(i, k);
    return out;
  };
  const accessor = (type: 'VEC2' | 'VEC3' | 'SCALAR', array: Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer>) =>
    document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const primitive = document
    .createPrimitive()
    .setIndices(accessor('SCALAR', indices))
    .setAttribute('POSITION', accessor('VEC3', values(3, (i, k) => origin[k] + positions[3 * vertices.points[i] + k]))); // prettier-ignore
  if (uvs)
    primitive.setAttribute('TEXCOORD_0', accessor('VEC2', values(2, (i, k) => {
      const t = vertices.uvs[i];
      const value = t === NO_INDEX ? 0 : uvs[2 * t + k];
      return k === 1 ? 1 - value : value;
    }))); // prettier-ignore
  if (normals) primitive.setAttribute('NORMAL', accessor('VEC3', values(3, (i, k) => (vertices.normals[i] === NO_INDEX ? Number(k === 2) : normals[3 * vertices.normals[i] + k])))); // prettier-ignore
  if (colors)
    primitive.setAttribute(
      'COLOR_0',
      accessor(
        'VEC3',
        values(3, (i, k) => colors[3 * vertices.points[i] + k]),
      ),
    );
  const node = document.createNode('mesh').setMesh(document.createMesh('').addPrimitive(primitive));
  const metres = scene?.metresPerUnit ?? 1;
  if (metres !== 1) node.setScale([metres, metres, metres]);
  if (scene?.up === 'z') node.setRotation([-Math.SQRT1_2, 0, 0, Math.SQRT1_2]);
  document.getRoot().setDefaultScene(document.createScene().addChild(node));
  const io = new WebIO();
  if (!name.toLowerCase().endsWith('.gltf')) return io.writeBinary(document);
  const { json, resources } = await io.writeJSON(document);
  for (const part of json.buffers ?? []) {
    const data = resources[part.uri ?? ''] as Uint8Array | undefined;
    if (data) part.uri = `data:application/octet-stream;base64,${btoa(strFromU8(data, true))}`;
  }
  return new TextEncoder().encode(JSON.stringify(json));
}

/** A vertex for every (point, UV, normal) that corners have, in order of first use by triangles. */
function splitVertices(mesh: PolyMesh): {
  vertices: { points: Uint32Array; uvs: Uint32Array; normals: Uint32Array };
  indices: Uint32Array<ArrayBuffer>;
} {
  const { corners } = triangulate(mesh);
  const { faceVerts, faceUvs, faceNormals } = mesh;
  const first = new Uint32Array(mesh.positions.length / 3).fill(NONE);
  const next: number[] = [];
  const [points, uvs, normals] = [[] as number[], [] as number[], [] as number[]];
  const indices = new Uint32Array(corners.length);
  corners.forEach((c, i) => {
    const v = faceVerts[c];
    const uv = faceUvs === null ? NO_INDEX : faceUvs[c];
    const normal = faceNormals === null ? NO_INDEX : faceNormals[c];
    let vertex = first[v];
    while (vertex !== NONE && !(uvs[vertex] === uv && normals[vertex] === normal)) vertex = next[vertex];
    if (vertex === NONE) {
      vertex = points.push(v) - 1;
      uvs.push(uv);
      normals.push(normal);
      next.push(first[v]);
      first[v] = vertex;
    }
    indices[i] = vertex;
  });
  return { vertices: { points: Uint32Array.from(points), uvs: Uint32Array.from(uvs), normals: Uint32Array.from(normals) }, indices };
}
