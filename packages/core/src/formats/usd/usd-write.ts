import type { PolyMesh, Section } from '../../mesh/poly-mesh';
import { EVER_SHARP, faceCount, NO_INDEX } from '../../mesh/poly-mesh';
import { ByteWriter } from '../../runtime/growable';
import { throwIfAborted } from '../../runtime/progress';
import { writeFloat32, writeInteger } from '../decimal';
import type { WriteMeshOptions } from '../mesh-format';

const UV_RULES = { smooth: 'none', corners: 'cornersOnly', boundaries: 'boundaries', linear: 'all' } as const;
/** How each of a face's names is kept: as subsets of one family. */
const FAMILIES: readonly (readonly [keyof Section, string])[] = [
  ['object', 'objects'],
  ['group', 'groups'],
  ['material', 'materialBind'],
  ['smoothing', 'smoothing'],
];
const REPORT = 1 << 20;

/** Writes a mesh as one Mesh prim of a USD text layer: points, polygons, UVs with indices, normals, colours, creases and corners, and what its
 *  faces belong to as subsets. Points far from zero are written in double precision. */
export function writeUsdText(mesh: PolyMesh, options: WriteMeshOptions = {}): Uint8Array {
  return new UsdWriter(mesh, options).write();
}

class UsdWriter {
  private readonly out = new ByteWriter();

  constructor(
    private readonly mesh: PolyMesh,
    private readonly options: WriteMeshOptions,
  ) {}

  write(): Uint8Array {
    const { out, mesh } = this;
    const { scene, control } = this.options;
    const facts = [
      'defaultPrim = "mesh"',
      ...(scene?.metresPerUnit == null ? [] : [`metersPerUnit = ${scene.metresPerUnit}`]),
      ...(scene?.up == null ? [] : [`upAxis = "${scene.up.toUpperCase()}"`]),
    ];
    out.text(`#usda 1.0\n(\n    ${facts.join('\n    ')}\n)\n\ndef Mesh "mesh"\n{\n`);
    this.line(`uniform token subdivisionScheme = "catmullClark"`);
    if (scene?.boundary !== undefined)
      this.line(`token interpolateBoundary = "${scene.boundary === 'edge-only' ? 'edgeOnly' : 'edgeAndCorner'}"`);
    if (scene?.uv !== undefined) this.line(`token faceVaryingLinearInterpolation = "${UV_RULES[scene.uv]}"`);
    this.points();
    const { faceOffsets, faceVerts, uvs, faceUvs, normals, faceNormals, colors, creases } = mesh;
    this.integers('int[] faceVertexCounts', { length: faceCount(mesh), at: (f) => faceOffsets[f + 1] - faceOffsets[f] });
    this.integers('int[] faceVertexIndices', { length: faceVerts.length, at: (c) => faceVerts[c] });
    if (uvs && faceUvs) this.primvar('texCoord2f[] primvars:st', 2, uvs, faceUvs, NO_INDEX);
    if (normals && faceNormals) this.primvar('normal3f[] primvars:normals', 3, normals, faceNormals, NO_INDEX);
    if (colors) {
      this.tuples('color3f[] primvars:displayColor', 3, { length: colors.length, put: (i) => writeFloat32(out, colors[i]) });
      this.interpolated('vertex');
    }
    if (creases) this.creases(creases);
    this.subsets();
    out.text('}\n');
    control?.onProgress?.(1, 'writing');
    return out.finish();
  }

  private line(text: string): void {
    this.out.text(`    ${text}\n`);
  }

  private points(): void {
    const { positions, origin } = this.mesh;
    const far = origin.some((x) => x !== 0);
    this.tuples(`point3${far ? 'd' : 'f'}[] points`, 3, {
      length: positions.length,
      put: (i) => {
        if (far) this.out.text(String(origin[i % 3] + positions[i]));
        else writeFloat32(this.out, positions[i]);
      },
    });
    this.out.text('\n');
  }

  private integers(head: string, { length, at }: { length: number; at: (i: number) => number }): void {
    const { out } = this;
    out.text(`    ${head} = [`);
    for (let i = 0; i < length; i++) {
      if (i > 0) out.text(', ');
      this.watch(i);
      writeInteger(out, at(i));
    }
    out.text(']\n');
  }

  private tuples(head: string, width: number, { length, put }: { length: number; put: (i: number) => void }): void {
    const { out } = this;
    out.text(`    ${head} = [`);
    for (let i = 0; i < length; i++) {
      this.watch(i);
      if (i % width === 0) out.text(i === 0 ? '(' : '), (');
      else out.text(', ');
      put(i);
    }
    out.text(length > 0 ? ')]' : ']');
  }

  private watch(i: number): void {
    if ((i & (REPORT - 1)) === 0) throwIfAborted(this.options.control);
  }

  private interpolated(how: string): void {
    this.out.text(` (\n        interpolation = "${how}"\n    )\n`);
  }

  /** Values of corners with indices; a corner without one gets a value of its own, zero. */
  private primvar(head: string, width: number, values: Float32Array, indices: Uint32Array, none: number): void {
    const bare = indices.includes(none);
    const count = values.length + (bare ? width : 0);
    this.tuples(head, width, { length: count, put: (i) => writeFloat32(this.out, i < values.length ? values[i] : 0) });
    this.interpolated('faceVarying');
    const last = values.length / width;
    this.integers(`int[] ${head.split(' ')[1]}:indices`, { length: indices.length, at: (c) => (indices[c] === none ? last : indices[c]) });
  }

  private creases({ edges, edgeSharpness, points, pointSharpness }: NonNullable<PolyMesh['creases']>): void {
    const sharpness = (values: Float32Array): string => Array.from(values, (s) => (s === Infinity ? EVER_SHARP : shortest(s))).join(', ');
    if (edgeSharpness.length > 0) {
      this.integers('int[] creaseIndices', { length: edges.length, at: (i) => edges[i] });
      this.integers('int[] creaseLengths', { length: edgeSharpness.length, at: () => 2 });
      this.line(`float[] creaseSharpnesses = [${sharpness(edgeSharpness)}]`);
    }
    if (pointSharpness.length > 0) {
      this.integers('int[] cornerIndices', { length: points.length, at: (i) => points[i] });
      this.line(`float[] cornerSharpnesses = [${sharpness(pointSharpness)}]`);
    }
  }

  private subsets(): void {
    const { sections, faceSections } = this.mesh;
    let count = 0;
    for (const [key, family] of FAMILIES)
      for (const name of new Set(sections.map((s) => s[key]))) {
        if (name === '') continue;
        const member = sections.map((s) => s[key] === name);
        const faces = faceSections.reduce((n, s) => n + Number(member[s]), 0);
        if (faces === 0) continue;
        const { out } = this;
        out.text(`\n    def GeomSubset "part_${count++}" (\n        displayName = ${quoted(name)}\n    )\n    {\n`);
        this.line(`    uniform token elementType = "face"`);
        this.line(`    uniform token familyName = "${family}"`);
        out.text('        int[] indices = [');
        let first = true;
        faceSections.forEach((s, f) => {
          if (!member[s]) return;
          if (!first) out.text(', ');
          first = false;
          writeInteger(out, f);
        });
        out.text(']\n    }\n');
      }
  }
}

const quoted = (text: string): string => `"${text.replaceAll(/[\\"]/g, '\\$&').replaceAll('\n', '\\n')}"`;

function shortest(x: number): string {
  const out = new ByteWriter();
  writeFloat32(out, x);
  return String.fromCharCode(...out.finish());
}
