import type { Matrix } from '@estampe/core';
import { IDENTITY, InvalidInputError, quaternion, scaling, times, translation } from '@estampe/core';
import type { GltfJson } from './gltf-check';

/** A mesh of a glTF where a node puts it. */
export interface GltfPlace {
  readonly mesh: number;
  readonly name: string;
  readonly matrix: Matrix;
  readonly skinned: boolean;
}

/** The nodes that show meshes, in the order of the scene that is shown, of all where there is none. Goes through the JSON: an object a node is more
 *  than files with many thousands of them can have. The nodes must be a tree. @throws InvalidInputError INDEX_OUT_OF_RANGE, BAD_NUMBER */
export function placesOf({ nodes = [], scenes = [], scene = 0, meshes = [] }: GltfJson): GltfPlace[] {
  const roots = scenes.length > 0 ? (scenes[Math.min(scene, scenes.length - 1)].nodes ?? []) : topOf(nodes);
  const places: GltfPlace[] = [];
  const waiting = roots.map((node) => ({ node, above: IDENTITY })).reverse();
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const { node: number, above } = next;
    const node = nodes.at(number);
    if (node === undefined) throw new InvalidInputError('INDEX_OUT_OF_RANGE', `the scene of this glTF shows node ${number}, which is not there; write it again.`); // prettier-ignore
    const name = node.name ?? '';
    const matrix = times(localMatrix(node), above);
    if (node.mesh !== undefined) {
      if (node.mesh >= meshes.length) throw new InvalidInputError('INDEX_OUT_OF_RANGE', `node ${number} of this glTF shows mesh ${node.mesh}, which is not there; write it again.`); // prettier-ignore
      if (!matrix.every(Number.isFinite)) throw new InvalidInputError('BAD_NUMBER', `the transform of node ${number} of this glTF is not finite; write it again.`); // prettier-ignore
      places.push({ mesh: node.mesh, name, matrix, skinned: node.skin !== undefined });
    }
    const below = node.children ?? [];
    for (let i = below.length - 1; i >= 0; i--) waiting.push({ node: below[i], above: matrix });
  }
  return places;
}

type GltfNode = NonNullable<GltfJson['nodes']>[number];

const localMatrix = ({ matrix, translation: by = [0, 0, 0], rotation: [x, y, z, w] = [0, 0, 0, 1], scale = [1, 1, 1] }: GltfNode): Matrix =>
  matrix ?? times(times(scaling(scale), quaternion([w, x, y, z])), translation(by));

function topOf(nodes: readonly GltfNode[]): number[] {
  const hangs = new Uint8Array(nodes.length);
  for (const { children = [] } of nodes) for (const child of children) hangs[child] = 1;
  return [...nodes.keys()].filter((n) => hangs[n] === 0);
}
