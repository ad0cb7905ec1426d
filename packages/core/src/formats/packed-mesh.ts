import type { PolyMesh, Section } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { ByteWriter, decodeUtf8 } from '../runtime/growable';
import { plainBytes } from './bytes';

/** Our own storage of a mesh between server, threads and browser: `ESTM`, length of a JSON head, the head, then the arrays,
 *  each on a multiple of 8 bytes, little-endian. Not a delivery format: files for people are OBJ. */
const MAGIC = [0x45, 0x53, 0x54, 0x4d];

const TYPES = {
  positions: Float32Array, faceOffsets: Uint32Array, faceVerts: Uint32Array, uvs: Float32Array, faceUvs: Uint32Array,
  normals: Float32Array, faceNormals: Uint32Array, colors: Float32Array, faceSections: Uint16Array,
  creaseEdges: Uint32Array, creaseSharpness: Float32Array, cornerPoints: Uint32Array, cornerSharpness: Float32Array,
} as const; // prettier-ignore
type NumbersOver = new (buffer: ArrayBufferLike, byteOffset: number, length: number) => ArrayBufferView;
type ArrayName = keyof typeof TYPES;
const ARRAYS = Object.keys(TYPES) as ArrayName[];
type Arrays = Record<ArrayName, Float32Array | Uint32Array | Uint16Array | null>;

const arraysOf = ({ creases, ...mesh }: PolyMesh): Arrays => ({
  ...mesh,
  creaseEdges: creases?.edges ?? null,
  creaseSharpness: creases?.edgeSharpness ?? null,
  cornerPoints: creases?.points ?? null,
  cornerSharpness: creases?.pointSharpness ?? null,
});

interface Head {
  readonly sections: readonly Section[];
  readonly lengths: Readonly<Record<string, number>>;
  /** Left out where it is zero. */
  readonly origin?: PolyMesh['origin'];
}

const align = (n: number): number => (n + 7) & ~7;

export function packMesh(mesh: PolyMesh): Uint8Array {
  const head = new ByteWriter();
  const arrays = arraysOf(mesh);
  const lengths = Object.fromEntries(ARRAYS.flatMap((name) => (arrays[name] === null ? [] : [[name, arrays[name].length]])));
  head.text(
    JSON.stringify({
      sections: mesh.sections,
      lengths,
      ...(mesh.origin.some((x) => x !== 0) ? { origin: mesh.origin } : {}),
    } satisfies Head),
  );
  const headBytes = head.finish();
  let at = align(8 + headBytes.length);
  const places = ARRAYS.map((name) => {
    const here = at;
    at = align(at + (arrays[name]?.byteLength ?? 0));
    return here;
  });
  const out = new Uint8Array(at);
  out.set(MAGIC);
  new DataView(out.buffer).setUint32(4, headBytes.length, true);
  out.set(headBytes, 8);
  ARRAYS.forEach((name, i) => {
    const array = arrays[name];
    if (array) out.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), places[i]);
  });
  return out;
}

/** @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED */
export const unpackMesh = (bytes: Uint8Array): PolyMesh => storedMesh(bytes, (at, size) => plainBytes(bytes).slice(at, at + size));

/** A stored mesh whose arrays lie in the bytes themselves, as far as these begin on a multiple of 8: nothing is copied, and threads that see the
 *  bytes see the mesh. Neither may be written to.
 *  @throws as `unpackMesh` does */
export const meshWithin = (bytes: Uint8Array): PolyMesh =>
  bytes.byteOffset % 8 === 0 ? storedMesh(bytes, (at, size) => plainBytes(bytes).subarray(at, at + size)) : unpackMesh(bytes);

function storedMesh(bytes: Uint8Array, part: (at: number, size: number) => Uint8Array): PolyMesh {
  if (bytes.length < 8 || MAGIC.some((b, i) => bytes[i] !== b))
    throw new InvalidInputError('NOT_THIS_FORMAT', 'these bytes are not a stored mesh.');
  const headLength = new DataView(bytes.buffer, bytes.byteOffset).getUint32(4, true);
  const head = headOf(decodeUtf8(bytes, 8, Math.min(bytes.length, 8 + headLength)));
  let at = align(8 + headLength);
  const arrays: Partial<Record<ArrayName, unknown>> = {};
  for (const name of ARRAYS) {
    const length = head.lengths[name] as number | undefined;
    arrays[name] = null;
    if (length === undefined) continue;
    const size = length * TYPES[name].BYTES_PER_ELEMENT;
    if (!(size >= 0 && at + size <= bytes.length)) throw new InvalidInputError('TRUNCATED', 'the stored mesh is not complete.');
    const { buffer, byteOffset } = part(at, size);
    const Numbers: NumbersOver = TYPES[name];
    arrays[name] = new Numbers(buffer, byteOffset, length);
    at = align(at + size);
  }
  const { creaseEdges, creaseSharpness, cornerPoints, cornerSharpness, ...mesh } = arrays;
  const creases =
    creaseEdges === null
      ? null
      : { edges: creaseEdges, edgeSharpness: creaseSharpness, points: cornerPoints, pointSharpness: cornerSharpness };
  return { ...mesh, origin: head.origin ?? [0, 0, 0], sections: head.sections, creases } as unknown as PolyMesh;
}

function headOf(text: string): Head {
  try {
    const head = JSON.parse(text) as Partial<Head> | null;
    if (head?.lengths && head.sections) return head as Head;
  } catch {
    // said below
  }
  throw new InvalidInputError('TRUNCATED', 'the stored mesh is not complete.');
}
