import { aroundOrigin, localOriginOf } from '../mesh/local-origin';
import { DEFAULT_SECTION } from '../mesh/poly-mesh';
import { InvalidInputError, UnsupportedError } from '../runtime/errors';
import { GrowableF32, GrowableU32 } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { ByteWindow, FileBytes } from './byte-window';
import { windowOf } from './byte-window';
import type { MeshFile, ReadMeshOptions } from './mesh-format';
import { NO_SCENE } from './mesh-format';
import type { PlyElement, PlyHeader, PlyProperty, PlyType } from './ply-header';
import { leastBytes, PLY_BYTES, PLY_INDICES, readPlyHeader } from './ply-header';
import { TextScanner } from './text-scanner';
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
export function readPly(file: FileBytes, { control, withoutUvs = false }: ReadMeshOptions = {}): MeshFile {
  const window = windowOf(file);
  const header = readPlyHeader(window);
  const text = header.encoding === 'text';
  let least = 0;
  for (const element of header.elements) least += element.count * leastBytes(element, text);
  if (!(least - 1 <= window.size - header.bytes))
    throw new InvalidInputError(
      'TRUNCATED',
      `this PLY says that it has ${header.elements.map((e) => `${e.count} of ${e.name}`).join(', ')}, at least ${least} bytes, but only ${window.size - header.bytes} follow; it was cut off, so write or copy it again.`,
    );
  return new PlyReader(
    window,
    header,
    cornersAtMost(header, text ? Infinity : window.size - header.bytes - least),
    control,
    withoutUvs,
  ).read();
}

const facesOf = ({ elements }: PlyHeader): PlyElement | undefined => elements.find((e) => e.name === 'face');

/** Corners to make room for: as many as fit into bytes that are to spare over what triangles take, but no more than quads have. */
function cornersAtMost(header: PlyHeader, spare: number): number {
  const faces = facesOf(header);
  const indices = faces?.properties.find((p) => PLY_INDICES.includes(p.name) && p.counted !== null);
  if (faces === undefined || indices === undefined) return 0;
  return Math.min(4 * faces.count, 3 * faces.count + Math.floor(Math.max(0, spare) / PLY_BYTES[indices.type]));
}

/** Values one after another, whatever the encoding. */
interface Values {
  next(type: PlyType): number;
  /** The same, many at once. */
  into(out: GrowableF32 | GrowableU32, type: PlyType, n: number): void;
  /** Passes over some. */
  skip(type: PlyType, n: number): void;
  place(): { line?: number };
  readonly done: number; // bytes
  /** Reads points of nothing but single values, as many as are at hand, up to `most`. @returns how many; 0 where that is not possible, or where a
   *  value is odd: then they are read one by one, and told what is wrong */
  points(columns: readonly Column[], from: number, most: number): number;
  /** The same for faces of a list of points and single values. */
  faces(layout: FaceLayout, from: number, most: number): number;
}

/** Where one value of each point goes. */
interface Column {
  readonly type: PlyType;
  /** Null passes it over. */
  readonly out: Float32Array | Float64Array | null;
  readonly stride: number;
  readonly offset: number;
  /** That stands for 1. */
  readonly full: number;
}

/** Faces of a list of four-byte points, counted in a byte, and then single values, which most files are made of. */
interface FaceLayout {
  readonly offsets: Uint32Array;
  readonly corners: GrowableU32;
  /** Of the file: no face may name another. */
  readonly points: number;
  /** Bytes after the list, and where among them a group of four stands; null for none. */
  readonly after: number;
  readonly group: { readonly at: number; readonly out: Int32Array } | null;
}
const MOST_CORNERS = 255;

class TextValues implements Values {
  private readonly scanner: TextScanner;
  constructor(file: ByteWindow, from: number, line: number) {
    this.scanner = new TextScanner(file);
    this.scanner.pos = from;
    this.scanner.line = line + 1;
  }
  next(): number {
    const { scanner } = this;
    scanner.skipSpace();
    while (scanner.pos >= scanner.b.length && scanner.more()) scanner.skipSpace();
    return scanner.numberHere('a value');
  }
  into(out: GrowableF32 | GrowableU32, _: PlyType, n: number): void {
    const whole = out instanceof GrowableU32;
    for (let i = 0; i < n; i++) {
      const value = this.next();
      if (whole && !Number.isInteger(value))
        this.scanner.fail('BAD_NUMBER', `${value} stands where a point is named by its number; correct the line or write the file again.`);
      out.push(value);
    }
  }
  skip(_: PlyType, n: number): void {
    for (let i = 0; i < n; i++) this.next();
  }
  place(): { line: number } {
    return { line: this.scanner.line };
  }
  get done(): number {
    return this.scanner.done;
  }
  points(): number {
    return 0;
  }
  faces(): number {
    return 0;
  }
}

class BinaryValues implements Values {
  private view: DataView;
  /** Whether a point has a value that will be refused when it comes. */
  private isOdd = false;
  constructor(
    private readonly file: ByteWindow,
    private at: number, // in what is at hand
    private readonly little: boolean,
  ) {
    this.view = viewOf(file);
  }
  get done(): number {
    return this.file.start + this.at;
  }
  place(): Record<string, never> {
    return {};
  }
  private take(bytes: number): number {
    if (this.at + bytes > this.view.byteLength) this.bring(bytes);
    const { at } = this;
    this.at = at + bytes;
    return at;
  }
  private bring(bytes: number): void {
    const { file } = this;
    while (this.at + bytes > file.bytes.length) {
      if (!file.moveOn(this.at))
        throw new InvalidInputError(
          'TRUNCATED',
          `this PLY ends too early (at byte ${file.start + file.bytes.length}); it was cut off, so write or copy it again.`,
        );
      this.at = 0;
    }
    this.view = viewOf(file);
  }
  into(out: GrowableF32 | GrowableU32, type: PlyType, n: number): void {
    // the two that film files are made of; the rest one by one
    if (type === 'f32' || type === 'i32' || type === 'u32') {
      const at = this.take(4 * n);
      const { view, little } = this;
      if (type === 'f32') for (let i = 0; i < n; i++) out.push(view.getFloat32(at + 4 * i, little));
      else for (let i = 0; i < n; i++) out.push(view.getUint32(at + 4 * i, little));
    } else for (let i = 0; i < n; i++) out.push(this.next(type));
  }
  skip(type: PlyType, n: number): void {
    this.take(n * PLY_BYTES[type]);
  }
  points(columns: readonly Column[], from: number, most: number): number {
    if (this.isOdd) return 0;
    const bytes = columns.reduce((sum, { type }) => sum + PLY_BYTES[type], 0);
    const n = Math.min(most, Math.floor((this.view.byteLength - this.at) / bytes));
    let at = this.at;
    for (const column of columns) {
      if (column.out !== null && !this.column(column, at, bytes, from, n)) {
        this.isOdd = true;
        return 0;
      }
      at += PLY_BYTES[column.type];
    }
    this.at += n * bytes;
    return n;
  }
  /** @returns whether all are numbers of a usual size */
  private column({ type, out, stride, offset, full }: Column, at: number, bytes: number, from: number, n: number): boolean {
    const { view, little } = this;
    if (out === null) return true;
    let place = stride * from + offset;
    let isUsual = true;
    if (type === 'f32')
      for (let i = 0; i < n; i++, at += bytes, place += stride) {
        const x = view.getFloat32(at, little);
        if (!isUsualSize(x)) isUsual = false;
        out[place] = x / full;
      }
    else {
      const here = this.at;
      for (let i = 0; i < n; i++, at += bytes, place += stride) {
        this.at = at;
        const x = this.next(type);
        if (!isUsualSize(x)) isUsual = false;
        out[place] = x / full;
      }
      this.at = here;
    }
    return isUsual;
  }
  faces({ offsets, corners, points, after, group }: FaceLayout, from: number, most: number): number {
    const { view, little } = this;
    const { bytes } = this.file;
    // a face that is at hand in all cases
    const last = view.byteLength - (1 + 4 * MOST_CORNERS + after);
    let { at } = this;
    let face = from;
    let { length } = corners;
    for (; face < from + most && at <= last; face++) {
      const n = bytes[at];
      if (n < 3) break;
      corners.length = length;
      const out = corners.reserve(n);
      let isKnown = true;
      for (let k = 0; k < n; k++) {
        const v = view.getUint32(at + 1 + 4 * k, little);
        if (v >= points) isKnown = false;
        out[length + k] = v;
      }
      if (!isKnown) break;
      length += n;
      at += 1 + 4 * n;
      if (group !== null) group.out[face] = view.getInt32(at + group.at, little);
      at += after;
      offsets[face + 1] = length;
    }
    corners.length = length;
    this.at = at;
    return face - from;
  }
  next(type: PlyType): number {
    const at = this.take(PLY_BYTES[type]);
    const { view, little } = this;
    switch (type) {
      case 'f32': return view.getFloat32(at, little);
      case 'i32': return view.getInt32(at, little);
      case 'u8': return view.getUint8(at);
      case 'u32': return view.getUint32(at, little);
      case 'f64': return view.getFloat64(at, little);
      case 'u16': return view.getUint16(at, little);
      case 'i16': return view.getInt16(at, little);
      case 'i8': return view.getInt8(at);
    } // prettier-ignore
  }
}

const isUsualSize = (value: number): boolean => Math.abs(value) < 3.5e38;

const viewOf = ({ bytes }: ByteWindow): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Takes one property's values of an element, a list's all into one array; null passes them over. */
type Taker = ((value: number, item: number) => void) | GrowableF32 | GrowableU32 | null;

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
    private readonly control: RunControl | undefined,
    private readonly withoutUvs: boolean,
  ) {
    const { encoding } = header;
    this.values =
      encoding === 'text'
        ? new TextValues(file, header.bytes, header.lines)
        : new BinaryValues(file, header.bytes, encoding === 'little-endian');
    const faces = facesOf(header)?.count ?? 0;
    this.faceOffsets = new Uint32Array(faces + 1);
    this.faceVerts = new GrowableU32(corners);
  }

  read(): MeshFile {
    const { elements } = this.header;
    const faces = facesOf(this.header);
    const points = elements.find((e) => e.name === 'vertex');
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
        this.each(element, element.properties.map(() => null)); // prettier-ignore
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
    const { values, control, file } = this;
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
    const points = double ? take(xyz, (n) => new Float64Array(n)) : take(xyz, f32);
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
    if (texcoords >= 0 && !this.withoutUvs) {
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
    this.note('faces', properties, takers, this.withoutUvs ? texcoords : -1);
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
    for (let f = 0; f < F; f++) {
      const group = this.groups[f];
      let section = numbers.get(group);
      if (section === undefined) {
        section = sections.numberOf({ ...DEFAULT_SECTION, group: names.get(group) ?? `group ${group}` });
        numbers.set(group, section);
      }
      faceSections[f] = section;
    }
    return { sections: sections.list, faceSections };
  }
}
