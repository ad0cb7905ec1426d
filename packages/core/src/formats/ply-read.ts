import { aroundOrigin, localOriginOf } from '../mesh/local-origin';
import { DEFAULT_SECTION } from '../mesh/poly-mesh';
import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { GrowableF32, GrowableU32 } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';
import type { ByteWindow, FileBytes } from './byte-window';
import { windowOf } from './byte-window';
import type { MeshFile, ReadMeshOptions } from './mesh-format';
import { NO_SCENE } from './mesh-format';
import type { PlyElement, PlyHeader, PlyProperty, PlyType } from './ply-header';
import { leastBytesOf, PLY_BYTES, PLY_INDICES, plyCounts, readPlyHeader } from './ply-header';
import type { Column, FaceLayout, Values } from './ply-values';
import { BinaryValues, isUsualSize, TextValues } from './ply-values';
import { SectionTable } from './section-table';
import { shareUvs } from './shared-uvs';

/** What a group's number in a face stands for, in a comment of the head. */
const GROUP_COMMENT = /^group (\d{1,5})(?: (.*))?$/;
const UV_NAMES = [['u', 'v'], ['s', 't'], ['texture_u', 'texture_v']] as const; // prettier-ignore
const COLOUR_NAMES = [['red', 'green', 'blue'], ['r', 'g', 'b'], ['diffuse_red', 'diffuse_green', 'diffuse_blue']] as const; // prettier-ignore
const LARGEST: Readonly<Partial<Record<PlyType, number>>> = { u8: 255, u16: 65535, u32: 0xffffffff };
/** Types whose negative values look like large ones in an array of indices. */
const SIGNED: ReadonlySet<PlyType> = new Set(['i8', 'i16', 'i32']);
const REPORT = 1 << 20;

/** Reads a PLY of text or of either byte order, in pieces where it comes so: points, polygons of any size, UVs (of points or of corners), normals, colours, groups.
 *  Elements and properties besides are passed over with a warning. Counts are held against the file's size before memory is taken.
 *  @throws InvalidInputError NOT_THIS_FORMAT, TRUNCATED, BAD_NUMBER, INDEX_OUT_OF_RANGE, NO_FACES, TOO_LARGE, with the line, point or face;
 *  UnsupportedError for strips */
export function readPly(file: FileBytes, { control, withoutUvs = false, allocate = ownMemory, onCounts }: ReadMeshOptions = {}): MeshFile {
  const window = windowOf(file);
  const header = readPlyHeader(window);
  const text = header.encoding === 'text';
  const least = leastBytesOf(header);
  if (!(least - 1 <= window.size - header.bytes))
    throw new InvalidInputError(
      'TRUNCATED',
      `this PLY says that it has ${header.elements.map((e) => `${e.count} of ${e.name}`).join(', ')}, at least ${least} bytes, but only ${window.size - header.bytes} follow; it was cut off, so write or copy it again.`,
    );
  onCounts?.(plyCounts(header));
  const corners = cornersAtMost(header, text ? Infinity : window.size - header.bytes - least);
  return new PlyReader(window, header, corners, { control, withoutUvs, allocate }).read();
}

const facesOf = ({ elements }: PlyHeader): PlyElement | undefined => elements.find((e) => e.name === 'face');

/** Corners to make room for: as many as fit into bytes that are to spare over what triangles take, but no more than quads have. */
function cornersAtMost(header: PlyHeader, spare: number): number {
  const faces = facesOf(header);
  const indices = faces?.properties.find((p) => PLY_INDICES.includes(p.name) && p.counted !== null);
  if (faces === undefined || indices === undefined) return 0;
  return Math.min(4 * faces.count, 3 * faces.count + Math.floor(Math.max(0, spare) / PLY_BYTES[indices.type]));
}

/** Takes one property's values of an element, a list's all into one array; null passes them over. */
type Taker = ((value: number, item: number) => void) | GrowableF32 | GrowableU32 | null;

interface PlyOptions {
  readonly control: RunControl | undefined;
  readonly withoutUvs: boolean;
  readonly allocate: Allocate;
}

class PlyReader {
  private readonly values: Values;
  private points: Float32Array | Float64Array = new Float32Array(0);
  private normals: Float32Array | null = null;
  private colours: Float32Array | null = null;
  private pointUvs: Float32Array | null = null;
  private readonly faceOffsets: Uint32Array;
  private readonly faceVerts: GrowableU32;
  private cornerUvs: GrowableF32 | null = null;
  private groups: Int32Array | null = null;
  private readonly passedOver: string[] = [];

  constructor(
    private readonly file: ByteWindow,
    private readonly header: PlyHeader,
    corners: number,
    private readonly options: PlyOptions,
  ) {
    const { encoding } = header;
    this.values =
      encoding === 'text'
        ? new TextValues(file, header.bytes, header.lines)
        : new BinaryValues(file, header.bytes, encoding === 'little-endian');
    const faces = facesOf(header)?.count ?? 0;
    this.faceOffsets = new Uint32Array(options.allocate(4 * (faces + 1)));
    this.faceVerts = new GrowableU32(corners, options.allocate);
  }

  read(): MeshFile {
    const { elements } = this.header;
    const faces = facesOf(this.header);
    const points = this.header.elements.find((e) => e.name === 'vertex');
    if (elements.some((e) => e.name === 'tristrips') && faces === undefined)
      throw new UnsupportedError('UNSUPPORTED', 'this PLY holds strips of triangles instead of faces; write it again with faces.');
    if (points === undefined || points.count === 0)
      throw new InvalidInputError('NOT_THIS_FORMAT', 'this PLY has no points; write the mesh again.');
    if (faces === undefined || faces.count === 0)
      throw new InvalidInputError(
        'NO_FACES',
        `this PLY has ${points.count} points but no faces; it holds only a point cloud, so write the mesh with its faces.`,
      );
    for (const element of elements) {
      if (element.name === 'vertex') this.readPoints(element);
      else if (element.name === 'face') this.readFaces(element, points.count);
      else {
        this.passedOver.push(`${element.count} of ${element.name}`);
        // one without properties takes no byte, however many a head says
        if (element.properties.length > 0) this.each(element, element.properties.map(() => null)); // prettier-ignore
      }
    }
    return this.finish();
  }

  /** Runs through an element, a taker a property; lists give their values one by one.
   *  @param many reads some at once: from which one, how many at most; 0 leaves the next one to the takers */
  private each(
    element: PlyElement,
    takers: readonly Taker[],
    { many, before }: { readonly many?: (from: number, most: number) => number; readonly before?: (item: number) => void } = {},
  ): void {
    const { values, file } = this;
    const { control } = this.options;
    const { properties, count } = element;
    for (let i = 0; i < count; i++) {
      if ((i & (REPORT - 1)) === 0) {
        throwIfAborted(control);
        control?.onProgress?.(values.done / file.size, 'reading');
      }
      const read = many?.(i, Math.min(count - i, REPORT - (i & (REPORT - 1)))) ?? 0;
      if (read > 0) {
        i += read - 1;
        continue;
      }
      before?.(i);
      for (let p = 0; p < properties.length; p++) {
        const { type, counted } = properties[p];
        const take = takers[p];
        const n = counted === null ? 1 : this.count(counted, element.name, i);
        if (take === null) values.skip(type, n);
        else if (typeof take === 'object') values.into(take, type, n);
        else for (let left = n; left > 0; left--) take(values.next(type), i);
      }
    }
  }

  private count(type: PlyType, element: string, item: number): number {
    const n = this.values.next(type);
    if (!(n >= 0 && Number.isInteger(n) && n <= this.file.size)) this.refuse(`a list of ${n} values`, element, item);
    return n;
  }

  private refuse(what: string, element: string, item: number): never {
    throw new InvalidInputError(
      'BAD_NUMBER',
      `${element} ${item} has ${what}; the file is damaged or its byte order is not the one it says, so write it again.`,
      { ...this.values.place(), ...(element === 'face' ? { face: item } : { vertex: item }) },
    );
  }

  private finite(value: number, element: string, item: number): number {
    if (!isUsualSize(value)) this.refuse(`the value ${value}`, element, item);
    return value;
  }

  private readPoints(element: PlyElement): void {
    const { properties, count } = element;
    const at = (name: string): number => properties.findIndex((p) => p.name === name && p.counted === null);
    const takers = properties.map((): Taker => null);
    const columns = properties.map(({ type }): Column => ({ type, out: null, stride: 0, offset: 0, full: 1 }));
    /** Reads K properties by name into one array; null where one is missing. */
    const take = <A extends Float32Array | Float64Array>(names: readonly string[], make: (n: number) => A, full?: (p: PlyProperty) => number): A | null => {
      const places = names.map(at);
      if (places.includes(-1)) return null;
      const K = names.length;
      const out = make(K * count);
      places.forEach((place, k) => {
        const scale = full?.(properties[place]) ?? 1;
        columns[place] = { type: properties[place].type, out, stride: K, offset: k, full: scale };
        takers[place] = (value, i) => {
          out[K * i + k] = this.finite(value, 'point', i) / scale;
        };
      });
      return out;
    }; // prettier-ignore
    const first = <A>(of: readonly (readonly string[])[], read: (names: readonly string[]) => A | null): A | null => {
      for (const names of of) {
        const found = read(names);
        if (found !== null) return found;
      }
      return null;
    };
    const f32 = (n: number): Float32Array => new Float32Array(n);
    const double = properties.some((p) => p.name === 'x' && p.type !== 'f32');
    const xyz = ['x', 'y', 'z'];
    const points = double ? take(xyz, (n) => new Float64Array(n)) : take(xyz, (n) => new Float32Array(this.options.allocate(4 * n)));
    if (points === null) throw new InvalidInputError('NOT_THIS_FORMAT', 'the points of this PLY have no x, y and z; write the mesh again.');
    this.points = points;
    this.normals = take(['nx', 'ny', 'nz'], f32);
    this.pointUvs = first(UV_NAMES, (names) => take(names, f32));
    this.colours = first(COLOUR_NAMES, (names) => take(names, f32, (p) => LARGEST[p.type] ?? 1));
    this.note('points', properties, takers);
    const isPlain = properties.every((p) => p.counted === null);
    this.each(element, takers, isPlain ? { many: (from, most) => this.values.points(columns, from, most) } : {});
  }

  private readFaces(element: PlyElement, points: number): void {
    const { properties } = element;
    const { faceOffsets, faceVerts } = this;
    const indices = properties.findIndex((p) => PLY_INDICES.includes(p.name) && p.counted !== null);
    if (indices < 0) throw new InvalidInputError('NO_FACES', 'the faces of this PLY name no points; write the mesh again.');
    const takers = properties.map((): Taker => null);
    const { type } = properties[indices];
    if (type === 'f32' || type === 'f64')
      throw new InvalidInputError('NOT_THIS_FORMAT', 'the faces of this PLY name points by fractions; write the mesh again.');
    takers[indices] = faceVerts;
    const texcoords = properties.findIndex((p) => p.name === 'texcoord' && p.counted !== null);
    if (texcoords >= 0 && !this.options.withoutUvs) {
      const uvs = new GrowableF32(8 * element.count);
      this.cornerUvs = uvs;
      takers[texcoords] = uvs;
    }
    const group = properties.findIndex((p) => p.name === 'group' && p.counted === null);
    if (group >= 0) {
      const groups = new Int32Array(element.count);
      this.groups = groups;
      takers[group] = (value, face) => (groups[face] = value);
    }
    this.note('faces', properties, takers, this.options.withoutUvs ? texcoords : -1);
    const close = (face: number): void => {
      const corners = faceVerts.length - faceOffsets[face];
      if (corners < 3) this.refuse(`${corners} corners`, 'face', face);
      const uvs = this.cornerUvs;
      if (uvs !== null) {
        for (let i = 2 * faceOffsets[face]; i < uvs.length; i++) this.finite(uvs.at(i), 'face', face);
        // a face without any
        if (uvs.length === 2 * faceOffsets[face]) for (let k = 0; k < 2 * corners; k++) uvs.push(NaN);
        if (uvs.length !== 2 * faceVerts.length)
          this.refuse(`${(uvs.length - 2 * faceOffsets[face]) / 2} UVs for ${corners} corners`, 'face', face);
      }
      for (let c = faceOffsets[face]; c < faceVerts.length; c++) {
        const v = faceVerts.at(c);
        if (v < points) continue;
        throw new InvalidInputError(
          'INDEX_OUT_OF_RANGE',
          `face ${face} names point ${SIGNED.has(type) ? v | 0 : v}, but there are ${points}, counted from 0; write the mesh again.`,
          { ...this.values.place(), face },
        );
      }
      faceOffsets[face + 1] = faceVerts.length;
    };
    let closed = 0;
    const layout = this.faceLayout(element, points);
    this.each(element, takers, {
      before: (face) => {
        if (face > closed) close(face - 1);
        closed = face;
      },
      ...(layout === null
        ? {}
        : {
            many: (from, most) => {
              if (from > closed) close(from - 1);
              const read = this.values.faces(layout, from, most);
              closed = from + read;
              return read;
            },
          }),
    });
    if (closed < element.count) close(element.count - 1);
  }

  /** How the faces lie in the file where they can be read many at once; null where they cannot. */
  private faceLayout({ properties }: PlyElement, points: number): FaceLayout | null {
    const [list, ...others] = properties;
    const isPlain = PLY_INDICES.includes(list.name) && list.counted === 'u8' && (list.type === 'i32' || list.type === 'u32');
    if (!isPlain || others.some((p) => p.counted !== null)) return null;
    let after = 0;
    let group: FaceLayout['group'] = null;
    for (const { name, type } of others) {
      if (name === 'group' && this.groups !== null) {
        if (type !== 'i32' && type !== 'u32') return null;
        group = { at: after, out: this.groups };
      }
      after += PLY_BYTES[type];
    }
    return { offsets: this.faceOffsets, corners: this.faceVerts, points, after, group };
  }

  /** @param unwanted place of a property that nobody asked for */
  private note(what: string, properties: readonly PlyProperty[], takers: readonly Taker[], unwanted = -1): void {
    const left = properties.filter((_, i) => takers[i] === null && i !== unwanted).map((p) => p.name);
    if (left.length > 0) this.passedOver.push(`${left.join(', ')} of ${what}`);
  }

  private finish(): MeshFile {
    const { points, file, values, header, faceOffsets } = this;
    const warnings: string[] = [];
    if (this.passedOver.length > 0) warnings.push(`Passed over: ${this.passedOver.join('; ')}.`);
    if (file.size - values.done > 4) warnings.push(`${file.size - values.done} bytes after the last value were passed over.`);
    const origin = localOriginOf(points);
    const faceVerts = this.faceVerts.finish();
    const cornerUvs = this.cornerUvs?.finish() ?? null;
    const uvs = cornerUvs !== null ? shareUvs(faceVerts, cornerUvs, points.length / 3) : null;
    const { sections, faceSections } = this.sections(header);
    return {
      mesh: {
        positions: points instanceof Float32Array && origin.every((x) => x === 0) ? points : aroundOrigin(points, origin),
        origin,
        faceOffsets,
        faceVerts,
        uvs: uvs?.uvs ?? this.pointUvs,
        faceUvs: uvs?.faceUvs ?? (this.pointUvs && faceVerts.slice()),
        normals: this.normals,
        faceNormals: this.normals && faceVerts.slice(),
        colors: this.colours,
        sections,
        faceSections,
        creases: null,
      },
      warnings,
      scene: NO_SCENE,
    };
  }

  private sections({ comments }: PlyHeader): Pick<MeshFile['mesh'], 'sections' | 'faceSections'> {
    const F = this.faceOffsets.length - 1;
    const faceSections = new Uint16Array(F);
    if (this.groups === null) return { sections: [DEFAULT_SECTION], faceSections };
    const names = new Map(
      comments.flatMap((c) => {
        const found = GROUP_COMMENT.exec(c);
        return found ? [[Number(found[1]), found.at(2) ?? '']] : [];
      }),
    );
    const sections = new SectionTable();
    const numbers = new Map<number, number>();
    const numberOf = (group: number): number => {
      const known = numbers.get(group);
      if (known !== undefined) return known;
      const made = sections.numberOf({ ...DEFAULT_SECTION, group: names.get(group) ?? `group ${group}` });
      numbers.set(group, made);
      return made;
    };
    let section = 0;
    for (let f = 0; f < F; f++) {
      // faces of one group follow each other
      if (f === 0 || this.groups[f] !== this.groups[f - 1]) section = numberOf(this.groups[f]);
      faceSections[f] = section;
    }
    return { sections: sections.list, faceSections };
  }
}
