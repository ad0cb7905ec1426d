import { decodeUtf8 } from '../runtime/growable';
import type { SceneFacts } from './mesh-format';
import { NO_SCENE } from './mesh-format';
import { MESH_FORMATS } from './mesh-file';

/** Bytes of a file that `sceneOfHead` looks at. */
export const SCENE_HEAD_BYTES = 65_536;

/** What the beginning of a mesh file says of its unit and up axis, without reading the mesh: glTF by what it is, USD text (also in a package, which
 *  is not compressed) by the head of its layer. */
export function sceneOfHead(head: Uint8Array): SceneFacts {
  if (MESH_FORMATS.gltf.recognises(head)) return { metresPerUnit: 1, up: 'y' };
  if (!MESH_FORMATS.usd.recognises(head) && !MESH_FORMATS.usdz.recognises(head)) return NO_SCENE;
  const text = decodeUtf8(head.subarray(0, SCENE_HEAD_BYTES)).split(/\n\s*(?:def|over|class)\s/)[0];
  const metres = Number(/^\s*metersPerUnit\s*=\s*([0-9.eE+-]+)/m.exec(text)?.[1] ?? NaN);
  const up = /^\s*upAxis\s*=\s*"([YZ])"/m.exec(text)?.[1];
  return { metresPerUnit: metres > 0 && Number.isFinite(metres) ? metres : null, up: up === 'Y' ? 'y' : up === 'Z' ? 'z' : null };
}
