import { aroundOrigin, localOriginOf } from '../../mesh/local-origin';
import type { Matrix } from '../../mesh/matrix';
import { determinant, IDENTITY, isIdentity, times, turnedNormals } from '../../mesh/matrix';
import type { PolyMesh, Section } from '../../mesh/poly-mesh';
import { DEFAULT_SECTION, EVER_SHARP, NO_INDEX } from '../../mesh/poly-mesh';
import { InvalidInputError, UnsupportedError } from '../../runtime/errors';
import { GrowableF32, GrowableF64, GrowableU32 } from '../../runtime/growable';
import type { MeshFile, ReadMeshOptions, SceneFacts } from '../mesh-format';
import { SectionTable } from '../section-table';
import type { UsdLayer, UsdPrim, UsdProperty, UsdValue } from './usd-layer';
import { isNumbers, isStrings } from './usd-layer';
import { localTransform } from './usd-transform';

const UV_TYPES = new Set(['texCoord2f[]', 'texCoord2d[]', 'texCoord2h[]']);
const USUAL_UVS = 'st';
const UV_RULES = { none: 'smooth', cornersOnly: 'corners', cornersPlus1: 'corners', cornersPlus2: 'corners', boundaries: 'boundaries', all: 'linear' } as const; // prettier-ignore
const BOUNDARY_RULES = { edgeAndCorner: 'edge-and-corner', edgeOnly: 'edge-only' } as const;
const SHAPES = new Set(['Sphere', 'Cube', 'Cone', 'Cylinder', 'Capsule', 'Plane', 'BasisCurves', 'NurbsCurves', 'NurbsPatch', 'Points', 'PointInstancer', 'TetMesh', 'Volume']); // prettier-ignore

interface Place {
  readonly matrix: Matrix;
  readonly hidden: boolean;
}

/** The polygons of a layer as one mesh: every visible Mesh prim, its transforms applied, in the order of the file.
 *  @throws InvalidInputError NO_FACES, BAD_NUMBER, INDEX_OUT_OF_RANGE naming the prim; UnsupportedError where everything is in other files */
export function meshOfUsd(layer: UsdLayer, { uvSet }: ReadMeshOptions = {}): MeshFile {
  return new UsdMeshes(layer, uvSet).read();
}

class UsdMeshes {
  private readonly points = new GrowableF64();
  private readonly faceOffsets = new GrowableU32();
  private readonly faceVerts = new GrowableU32();
  private readonly uvs = new GrowableF32();
  private readonly faceUvs = new GrowableU32();
  private readonly normals = new GrowableF32();
  private readonly faceNormals = new GrowableU32();
  private readonly colours = new GrowableF32();
  private readonly faceSections = new GrowableU32();
  private readonly sections = new SectionTable();
  private readonly creases = {
    edges: [] as number[],
    edgeSharpness: [] as number[],
    points: [] as number[],
    pointSharpness: [] as number[],
  };
  private readonly uvSets: string[] = [];
  private readonly notes = new Map<string, number>();
  private readonly refers: string[] = [];
  private meshes = 0;
  private transformed = 0;
  private boundary: SceneFacts['boundary'];
  private uvRule: SceneFacts['uv'];

  constructor(
    private readonly layer: UsdLayer,
    private readonly wantedUvs: string | undefined,
  ) {}

  read(): MeshFile {
    const { layer } = this;
    this.faceOffsets.push(0);
    for (const name of layer.passedOver) this.note(name);
    this.refer('subLayers', layer.meta.get('subLayers'));
    for (const prim of layer.prims) this.visit(prim, { matrix: IDENTITY, hidden: false });
    if (this.meshes === 0 && this.refers.length > 0)
      throw new UnsupportedError('UNSUPPORTED', `this USD holds no mesh of its own but refers to ${this.refers[0]}; flatten it into one file and bring that in.`); // prettier-ignore
    if (this.faceOffsets.length === 1) throw new InvalidInputError('NO_FACES', 'this USD has no polygons; write the mesh again.');
    return this.finish();
  }

  private note(what: string): void {
    this.notes.set(what, (this.notes.get(what) ?? 0) + 1);
  }

  private refer(kind: string, value: UsdValue | undefined): void {
    if (value === undefined || value === null) return;
    this.refers.push(`${isStrings(value) ? value.join(', ') : typeof value === 'string' ? value : 'other prims'} (${kind})`.slice(0, 200));
  }

  private visit(prim: UsdPrim, { matrix, hidden }: Place): void {
    if (prim.specifier !== 'def') {
      if (prim.type === 'Mesh') this.note(`mesh that is only ${prim.specifier === 'class' ? 'a class' : 'an override'}`);
      return;
    }
    for (const kind of ['references', 'payload', 'inherits', 'specializes']) this.refer(kind, prim.meta.get(kind));
    const { matrix: own, resets } = localTransform(prim);
    const purpose = prim.properties.get('purpose')?.value;
    const place: Place = {
      matrix: resets ? own : times(own, matrix),
      hidden: hidden || prim.properties.get('visibility')?.value === 'invisible' || purpose === 'guide' || purpose === 'proxy',
    };
    if (prim.type === 'Mesh') {
      if (place.hidden) this.note('hidden mesh');
      else this.add(prim, place.matrix);
    } else if (SHAPES.has(prim.type)) this.note(prim.type);
    for (const child of prim.children) if (child.type !== 'GeomSubset') this.visit(child, place);
  }

  private fail(prim: UsdPrim, what: string, code: 'BAD_NUMBER' | 'INDEX_OUT_OF_RANGE' = 'BAD_NUMBER'): never {
    throw new InvalidInputError(code, `the mesh ${nameOf(prim)} ${what}; write it again.`);
  }

  private numbers(prim: UsdPrim, name: string, width = 1): Float64Array | null {
    const property = prim.properties.get(name);
    if (property === undefined || property.value === null) return null;
    if (property.sampled) this.note('value over time (the first was taken)');
    if (!isNumbers(property.value)) return this.fail(prim, `has something else than numbers in ${name}`);
    if (property.value.numbers.length % width !== 0 || (width > 1 && property.value.numbers.length > 0 && property.value.width !== width))
      this.fail(prim, `has ${name} that are not in groups of ${width}`);
    return property.value.numbers;
  }

  /** Whole numbers below a limit. */
  private indices(prim: UsdPrim, name: string, limit: number): Float64Array | null {
    const found = this.numbers(prim, name);
    const bad = found?.find((i) => !(Number.isInteger(i) && i >= 0 && i < limit));
    if (bad !== undefined) this.fail(prim, `has ${bad} in ${name}, where ${limit} are there`, 'INDEX_OUT_OF_RANGE');
    return found;
  }

  private add(prim: UsdPrim, matrix: Matrix): void {
    const points = this.numbers(prim, 'points', 3);
    const counts = this.indices(prim, 'faceVertexCounts', 1e9);
    if (points === null || counts === null || counts.length === 0) {
      this.note('mesh without faces');
      return;
    }
    this.meshes++;
    const P = points.length / 3;
    const verts = this.indices(prim, 'faceVertexIndices', P) ?? new Float64Array(0);
    const corners = counts.reduce((sum, n) => sum + n, 0);
    if (corners !== verts.length) this.fail(prim, `says that its faces have ${corners} corners but holds ${verts.length}`);
    const small = counts.findIndex((n) => n < 3);
    if (small >= 0) this.fail(prim, `has a face of ${counts[small]} corners (face ${small})`);
    this.applied(points, matrix);
    const turned = (prim.properties.get('orientation')?.value === 'leftHanded') !== determinant(matrix) < 0;
    if (turned) this.note('mesh whose faces run the other way round (they were turned)');
    const firstPoint = this.points.length / 3 - P;
    const firstCorner = this.faceVerts.length;
    // where each corner of the file goes, so that what belongs to corners follows
    const source = new Uint32Array(corners);
    let from = 0;
    for (let f = 0; f < counts.length; f++) {
      const n = counts[f];
      for (let k = 0; k < n; k++) source[from + k] = turned && k > 0 ? from + n - k : from + k;
      from += n;
      this.faceOffsets.push(firstCorner + from);
    }
    for (let c = 0; c < corners; c++) this.faceVerts.push(firstPoint + verts[source[c]]);
    this.addUvs(prim, source, verts, counts.length);
    this.addNormals(prim, source, verts, P, matrix);
    if (turned) this.turnNormals(counts.length);
    this.addColours(prim, P);
    this.addSections(prim, counts.length);
    this.addCreases(prim, firstPoint, P);
    this.addRules(prim);
    if ((this.numbers(prim, 'holeIndices')?.length ?? 0) > 0) this.note('list of holes (their faces are kept)');
  }

  private applied(points: Float64Array, m: Matrix): void {
    const same = isIdentity(m);
    if (!same) this.transformed++;
    for (let i = 0; i < points.length; i += 3) {
      const [x, y, z] = [points[i], points[i + 1], points[i + 2]];
      for (let k = 0; k < 3; k++) this.points.push(same ? points[i + k] : x * m[k] + y * m[4 + k] + z * m[8 + k] + m[12 + k]);
    }
  }

  /** The values of a primvar at each corner of the mesh, as indices into them; null where it cannot be. */
  private perCorner(prim: UsdPrim, name: string, property: UsdProperty, values: number, source: Uint32Array, verts: Float64Array, faces: number): { at: (corner: number) => number } | null {
    const indices = this.indices(prim, `${name}:indices`, values);
    const interpolation = property.meta.get('interpolation') ?? (name === 'normals' ? 'vertex' : 'constant');
    const n = indices?.length ?? values;
    const pick = (i: number): number => (indices === null ? i : indices[i]);
    if (interpolation === 'faceVarying') {
      if (n !== source.length) this.fail(prim, `has ${n} values in ${name} for ${source.length} corners`);
      return { at: (c) => pick(source[c]) };
    }
    if (interpolation === 'vertex' || interpolation === 'varying') {
      if (verts.some((v) => v >= n)) this.fail(prim, `has only ${n} values in ${name} for its points`);
      return { at: (c) => pick(verts[source[c]]) };
    }
    this.note(`${name} that is not of points or corners (of ${faces} faces)`);
    return null;
  } // prettier-ignore

  private uvProperty(prim: UsdPrim): { name: string; property: UsdProperty } | null {
    const sets = [...prim.properties].filter(
      ([name, { type, value }]) => name.startsWith('primvars:') && !name.endsWith(':indices') && value !== null &&
        (UV_TYPES.has(type) || (type === 'float2[]' && /^primvars:(st|uv|uvmap|map)\w*$/i.test(name))),
    ); // prettier-ignore
    const plain = (name: string): string => name.slice('primvars:'.length);
    for (const [name] of sets) if (!this.uvSets.includes(plain(name))) this.uvSets.push(plain(name));
    const wanted = this.wantedUvs ?? USUAL_UVS;
    const found = sets.find(([name]) => plain(name) === wanted) ?? (this.wantedUvs === undefined ? sets[0] : undefined);
    return found === undefined ? null : { name: found[0], property: found[1] };
  }

  private addUvs(prim: UsdPrim, source: Uint32Array, verts: Float64Array, faces: number): void {
    const found = this.uvProperty(prim);
    const values = found === null ? null : this.numbers(prim, found.name, 2);
    const at =
      found === null || values === null ? null : this.perCorner(prim, found.name, found.property, values.length / 2, source, verts, faces);
    const first = this.uvs.length / 2;
    if (at !== null && values !== null) for (const x of values) this.uvs.push(x);
    for (let c = 0; c < source.length; c++) this.faceUvs.push(at === null ? NO_INDEX : first + at.at(c));
  }

  private addNormals(prim: UsdPrim, source: Uint32Array, verts: Float64Array, points: number, m: Matrix): void {
    const name = prim.properties.has('primvars:normals') ? 'primvars:normals' : 'normals';
    const property = prim.properties.get(name);
    const values = this.numbers(prim, name, 3);
    const at =
      property === undefined || values === null ? null : this.perCorner(prim, name, property, values.length / 3, source, verts, points);
    const first = this.normals.length / 3;
    if (at !== null && values !== null) for (const x of isIdentity(m) ? values : turnedNormals(values, m)) this.normals.push(x);
    for (let c = 0; c < source.length; c++) this.faceNormals.push(at === null ? NO_INDEX : first + at.at(c));
  }

  /** Of faces that were turned, normals that were stored for the other side follow: writers are not of one mind about them. */
  private turnNormals(faces: number): void {
    const { points: p, normals: n, faceVerts, faceNormals } = this;
    const first = this.faceOffsets.length - 1 - faces;
    let agree = 0;
    for (let f = first; f < first + faces; f++) {
      const from = this.faceOffsets.at(f);
      const [a, b, c] = [3 * faceVerts.at(from), 3 * faceVerts.at(from + 1), 3 * faceVerts.at(from + 2)];
      const stored = faceNormals.at(from);
      if (stored === NO_INDEX) return;
      const e = [0, 1, 2].map((k) => p.at(b + k) - p.at(a + k));
      const d = [0, 1, 2].map((k) => p.at(c + k) - p.at(a + k));
      for (let k = 0; k < 3; k++) agree += n.at(3 * stored + k) * (e[(k + 1) % 3] * d[(k + 2) % 3] - e[(k + 2) % 3] * d[(k + 1) % 3]);
    }
    if (agree >= 0) return;
    this.note('mesh whose normals faced inwards (they were turned)');
    // those of this mesh alone: each mesh adds its own, behind the others
    let own = Infinity;
    for (let c = this.faceOffsets.at(first); c < faceNormals.length; c++) own = Math.min(own, faceNormals.at(c));
    for (let i = 3 * own; i < n.length; i++) n.set(i, -n.at(i));
  }

  private addColours(prim: UsdPrim, points: number): void {
    const name = 'primvars:displayColor';
    const property = prim.properties.get(name);
    const values = this.numbers(prim, name, 3);
    if (property === undefined || values === null || values.length === 0) return;
    const interpolation = property.meta.get('interpolation') ?? 'constant';
    if (interpolation === 'constant') return; // the colour of the whole
    const indices = this.indices(prim, `${name}:indices`, values.length / 3);
    if ((interpolation !== 'vertex' && interpolation !== 'varying') || (indices?.length ?? values.length / 3) !== points) {
      this.note('set of colours that is not of points');
      return;
    }
    this.whiteTo(this.points.length - 3 * points);
    for (let v = 0; v < points; v++) for (let k = 0; k < 3; k++) this.colours.push(values[3 * (indices === null ? v : indices[v]) + k]);
  }

  private whiteTo(length: number): void {
    while (this.colours.length < length) this.colours.push(1);
  }

  private addSections(prim: UsdPrim, faces: number): void {
    const base: Section = { ...DEFAULT_SECTION, object: this.objectName(prim), material: boundMaterial(prim) };
    const own: Section[] = new Array<Section>(faces).fill(base);
    for (const subset of prim.children) {
      if (subset.type !== 'GeomSubset') continue;
      const family = subset.properties.get('familyName')?.value;
      const name = nameOf(subset);
      const key = family === 'objects' ? 'object' : family === 'smoothing' ? 'smoothing' : family === 'materialBind' ? 'material' : 'group';
      const value = key === 'material' ? boundMaterial(subset) || name : name;
      for (const f of this.indices(subset, 'indices', faces) ?? []) own[f] = { ...own[f], [key]: value };
    }
    for (const section of own) this.faceSections.push(this.sections.numberOf(section));
  }

  /** A lone mesh that was given the name of its kind needs no name. */
  private objectName(prim: UsdPrim): string {
    const name = nameOf(prim);
    return name === 'mesh' ? '' : name;
  }

  private addCreases(prim: UsdPrim, firstPoint: number, points: number): void {
    const { edges, edgeSharpness, points: corners, pointSharpness } = this.creases;
    const chain = this.indices(prim, 'creaseIndices', points) ?? new Float64Array(0);
    const lengths = this.indices(prim, 'creaseLengths', chain.length + 1) ?? new Float64Array(0);
    const sharp = this.numbers(prim, 'creaseSharpnesses') ?? new Float64Array(0);
    const edgeCount = lengths.reduce((sum, n) => sum + Math.max(0, n - 1), 0);
    if (lengths.reduce((sum, n) => sum + n, 0) !== chain.length || (sharp.length !== lengths.length && sharp.length !== edgeCount))
      this.fail(prim, 'has creases whose counts do not fit together');
    const perEdge = sharp.length !== lengths.length;
    let at = 0;
    let edge = 0;
    lengths.forEach((n, i) => {
      for (let k = 0; k + 1 < n; k++, edge++) {
        const s = sharp[perEdge ? edge : i];
        if (!(s > 0)) continue;
        edges.push(firstPoint + chain[at + k], firstPoint + chain[at + k + 1]);
        edgeSharpness.push(s >= EVER_SHARP ? Infinity : s);
      }
      at += n;
    });
    const held = this.indices(prim, 'cornerIndices', points) ?? new Float64Array(0);
    const heldSharp = this.numbers(prim, 'cornerSharpnesses') ?? new Float64Array(0);
    if (held.length !== heldSharp.length) this.fail(prim, 'has corners whose counts do not fit together');
    held.forEach((v, i) => {
      if (!(heldSharp[i] > 0)) return;
      corners.push(firstPoint + v);
      pointSharpness.push(heldSharp[i] >= EVER_SHARP ? Infinity : heldSharp[i]);
    });
  }

  private addRules(prim: UsdPrim): void {
    const said = (name: string): string => {
      const value = prim.properties.get(name)?.value;
      return typeof value === 'string' ? value : '';
    };
    const scheme = said('subdivisionScheme');
    if (scheme !== '' && scheme !== 'catmullClark')
      this.note(`mesh with the subdivision scheme ${scheme} (Estampe refines by Catmull and Clark)`);
    const uv = said('faceVaryingLinearInterpolation');
    if (Object.hasOwn(UV_RULES, uv)) this.uvRule ??= UV_RULES[uv as keyof typeof UV_RULES];
    if (uv.startsWith('cornersPlus')) this.note(`UV rule ${uv} (read as cornersOnly)`);
    const boundary = said('interpolateBoundary');
    if (Object.hasOwn(BOUNDARY_RULES, boundary)) this.boundary ??= BOUNDARY_RULES[boundary as keyof typeof BOUNDARY_RULES];
  }

  private finish(): MeshFile {
    const { layer } = this;
    const points = this.points.finish();
    const origin = localOriginOf(points);
    const { edges, edgeSharpness, points: corners, pointSharpness } = this.creases;
    const warnings: string[] = [];
    if (this.transformed > 0) warnings.push(`The transforms of ${this.transformed} of ${this.meshes} meshes were applied.`);
    if (this.meshes > 1) warnings.push(`${this.meshes} meshes were joined into one, each an object of its own.`);
    if (this.notes.size > 0) warnings.push(`Passed over or changed: ${[...this.notes].map(([what, n]) => `${n} ${what}`).join('; ')}.`);
    if (this.refers.length > 0) warnings.push(`What stands in other places was not followed: ${this.refers.slice(0, 3).join('; ')}.`);
    const hasUvs = this.uvs.length > 0;
    if (this.wantedUvs !== undefined && !hasUvs)
      throw new InvalidInputError('BAD_OPTION', `there is no set of UVs named ${this.wantedUvs}; there are ${this.uvSets.join(', ') || 'none'}.`, { option: 'uv-set' }); // prettier-ignore
    if (this.colours.length > 0) this.whiteTo(points.length);
    const mesh: PolyMesh = {
      positions: aroundOrigin(points, origin),
      origin,
      faceOffsets: this.faceOffsets.finish(),
      faceVerts: this.faceVerts.finish(),
      uvs: hasUvs ? this.uvs.finish() : null,
      faceUvs: hasUvs ? this.faceUvs.finish() : null,
      normals: this.normals.length > 0 ? this.normals.finish() : null,
      faceNormals: this.normals.length > 0 ? this.faceNormals.finish() : null,
      colors: this.colours.length > 0 ? this.colours.finish() : null,
      sections: this.sections.list,
      faceSections: Uint16Array.from(this.faceSections.finish()),
      creases:
        edges.length + corners.length === 0
          ? null
          : {
              edges: Uint32Array.from(edges),
              edgeSharpness: Float32Array.from(edgeSharpness),
              points: Uint32Array.from(corners),
              pointSharpness: Float32Array.from(pointSharpness),
            },
    };
    const metres = layer.meta.get('metersPerUnit');
    const up = layer.meta.get('upAxis');
    return {
      mesh,
      warnings,
      scene: {
        metresPerUnit: typeof metres === 'number' && metres > 0 ? metres : null,
        up: up === 'Y' ? 'y' : up === 'Z' ? 'z' : null,
        ...(this.boundary === undefined ? {} : { boundary: this.boundary }),
        ...(this.uvRule === undefined ? {} : { uv: this.uvRule }),
      },
      ...(this.uvSets.length > 1 ? { uvSets: this.uvSets } : {}),
    };
  }
}

/** The name that people see: any text; a prim's own name has letters and digits only. */
const nameOf = (prim: UsdPrim): string => {
  const shown = prim.meta.get('displayName');
  return typeof shown === 'string' && shown !== '' ? shown : prim.name;
};

function boundMaterial(prim: UsdPrim): string {
  const bound = prim.properties.get('material:binding')?.value;
  const path = isStrings(bound) ? bound[0] : bound;
  return typeof path === 'string' ? (/([^/<>]+)>?$/.exec(path)?.[1] ?? '') : '';
}
