import type { Section } from '../mesh/poly-mesh';
import { aroundOrigin, localOriginOf } from '../mesh/local-origin';
import { DEFAULT_SECTION, NO_INDEX } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { decodeUtf8, GrowableF32, GrowableF64, GrowableU32 } from '../runtime/growable';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { FileBytes } from './byte-window';
import type { MeshFile, ReadMeshOptions } from './mesh-format';
import { NO_SCENE } from './mesh-format';
import { SectionTable } from './section-table';
import { isBlank, isDigit, NEWLINE, TextScanner } from './text-scanner';

/** Reads a Wavefront OBJ, in pieces where it comes so: polygons of any size, order, UVs, normals, point colours, o / g / usemtl / s. Points far from zero
 *  are kept around an origin of their own.
 *  Curves, lines, points and materials are passed over with a warning.
 *  @throws InvalidInputError EMPTY_FILE, NOT_THIS_FORMAT, BAD_NUMBER, INDEX_OUT_OF_RANGE, TRUNCATED, NO_FACES, with the line */
export function readObj(file: FileBytes, { control }: ReadMeshOptions = {}): MeshFile {
  const reader = new ObjReader(file, control);
  if (reader.size === 0) throw new InvalidInputError('EMPTY_FILE', 'The file is empty; write the mesh again.');
  return reader.read();
}

class ObjReader extends TextScanner {
  private readonly positions = new GrowableF64();
  private readonly colors = new GrowableF32();
  private readonly uvs = new GrowableF32();
  private readonly normals = new GrowableF32();
  private readonly faceOffsets = new GrowableU32();
  private readonly faceVerts = new GrowableU32();
  private readonly faceUvs = new GrowableU32();
  private readonly faceNormals = new GrowableU32();
  private readonly faceSections = new GrowableU32();
  private readonly sections = new SectionTable();
  private section: Section = DEFAULT_SECTION;
  private currentSection = -1;
  private skipped = 0;
  private unknown = 0;
  private declared: { points: number; faces: number } | null = null;

  constructor(
    file: FileBytes,
    private readonly control: RunControl | undefined,
  ) {
    super(file);
  }

  read(): MeshFile {
    this.faceOffsets.push(0);
    let nextReport = 0;
    while (this.pos < this.b.length || this.more()) {
      if (this.done >= nextReport) {
        throwIfAborted(this.control);
        this.control?.onProgress?.(this.done / this.size, 'reading');
        nextReport = this.done + (1 << 22);
      }
      this.skipBlanks();
      const { b } = this;
      const c = this.pos < b.length ? b[this.pos] : NEWLINE;
      const d = this.pos + 1 < b.length ? b[this.pos + 1] : NEWLINE;
      if (c === 118 /* v */ && isBlank(d)) this.vertex();
      else if (c === 102 /* f */ && isBlank(d)) this.face();
      else if (c === 118 && d === 116 /* vt */) this.uv();
      else if (c === 118 && d === 110 /* vn */) this.normal();
      else if (c === 35 /* # */) this.comment();
      else if (c !== NEWLINE) this.directive();
      this.endLine();
    }
    return this.finish();
  }

  private skipBlanks(): void {
    const { b } = this;
    for (;;) {
      while (isBlank(b[this.pos])) this.pos++;
      // a backslash continues the line
      if (b[this.pos] !== 92) return;
      let q = this.pos + 1;
      while (b[q] === 13) q++;
      if (b[q] !== NEWLINE) return;
      this.pos = q + 1;
      this.line++;
    }
  }

  private atLineEnd(): boolean {
    this.skipBlanks();
    return this.pos >= this.b.length || this.b[this.pos] === NEWLINE || this.b[this.pos] === 35;
  }

  private endLine(): void {
    const { b } = this;
    while (this.pos < b.length && b[this.pos] !== NEWLINE) this.pos++;
    this.pos++;
    this.line++;
  }

  private cutOff(what: string): never {
    let q = this.pos;
    while (q < this.b.length && this.b[q] !== NEWLINE) q++;
    if (q >= this.b.length) this.fail('TRUNCATED', `the file ends in the middle of ${what}; it was cut off, so write or copy it again.`);
    this.fail('BAD_NUMBER', `${what} is not complete; correct the line or write the file again.`);
  }

  private number(what: string): number {
    if (this.atLineEnd()) this.cutOff(what);
    return this.numberHere(what);
  }

  private vertex(): void {
    this.pos++;
    const { positions, colors } = this;
    positions.push(this.number('a point'));
    positions.push(this.number('a point'));
    positions.push(this.number('a point'));
    if (this.atLineEnd()) return;
    const extra: number[] = [];
    while (!this.atLineEnd() && extra.length < 4) extra.push(this.number('a point'));
    if (extra.length < 3) return; // a weight
    while (colors.length < positions.length - 3) colors.push(1);
    for (let k = 0; k < 3; k++) colors.push(extra[extra.length - 3 + k]);
  }

  private uv(): void {
    this.pos += 2;
    this.uvs.push(this.number('a texture coordinate'));
    this.uvs.push(this.atLineEnd() ? 0 : this.number('a texture coordinate'));
  }

  private normal(): void {
    this.pos += 2;
    for (let k = 0; k < 3; k++) this.normals.push(this.number('a normal'));
  }

  private index(count: number, what: string): number {
    const { b } = this;
    const negative = b[this.pos] === 45;
    if (negative) this.pos++;
    let n = 0;
    const from = this.pos;
    while (isDigit(b[this.pos])) n = n * 10 + (b[this.pos++] - 48);
    if (this.pos === from) this.cutOff('a face');
    const i = negative ? count - n : n - 1;
    if (i < 0 || i >= count)
      this.fail('INDEX_OUT_OF_RANGE', `a face names ${what} ${negative ? -n : n}, but there are ${count} so far; write the mesh again.`);
    return i;
  }

  private face(): void {
    this.pos++;
    const { b } = this;
    const P = this.positions.length / 3;
    const first = this.faceVerts.length;
    let corners = 0;
    let withUv = 0;
    while (!this.atLineEnd()) {
      this.faceVerts.push(this.index(P, 'point'));
      let uv = NO_INDEX;
      let normal = NO_INDEX;
      if (b[this.pos] === 47) {
        this.pos++;
        if (b[this.pos] !== 47) uv = this.index(this.uvs.length / 2, 'UV');
        if (b[this.pos] === 47) {
          this.pos++;
          normal = this.index(this.normals.length / 3, 'normal');
        }
      }
      if (this.pos < b.length && !isBlank(b[this.pos]) && b[this.pos] !== NEWLINE)
        this.fail('BAD_NUMBER', 'a face has something that is not an index; correct the line or write the file again.');
      if (uv !== NO_INDEX) withUv++;
      keep(this.faceUvs, uv, this.faceVerts.length);
      keep(this.faceNormals, normal, this.faceVerts.length);
      corners++;
    }
    if (corners < 3 || (withUv > 0 && withUv < corners)) this.cutOff('a face');
    if (this.currentSection < 0) this.currentSection = this.sections.numberOf(this.section);
    this.faceSections.push(this.currentSection);
    this.faceOffsets.push(first + corners);
  }

  private comment(): void {
    const found = /^# Estampe: (\d+) points, (\d+) faces$/.exec(this.line === 1 ? this.restOfLine() : '');
    if (found) this.declared = { points: Number(found[1]), faces: Number(found[2]) };
  }

  private directive(): void {
    const { b } = this;
    const from = this.pos;
    while (this.pos < b.length && !isBlank(b[this.pos]) && b[this.pos] !== NEWLINE && this.pos - from < 16) this.pos++;
    const word = decodeUtf8(b, from, this.pos);
    if (word === 'o') this.section = { ...this.section, object: this.restOfLine() };
    else if (word === 'g') this.section = { ...this.section, group: this.restOfLine() };
    else if (word === 'usemtl') this.section = { ...this.section, material: this.restOfLine() };
    else if (word === 's') this.section = { ...this.section, smoothing: this.restOfLine() };
    else if (word === 'l' || word === 'p' || word === 'vp') this.skipped++;
    else if (
      !/^(mtllib|curv2?|surf|parm|trim|hole|scrv|sp|end|deg|cstype|bmat|step|con|mg|bevel|c_interp|d_interp|lod|shadow_obj|trace_obj|usemap|maplib)$/.test(
        word,
      )
    ) {
      this.unknown++;
      if (this.unknown > 20 && this.positions.length === 0)
        this.fail('NOT_THIS_FORMAT', 'this is not an OBJ file (no points or faces, but unknown lines); choose a mesh written as OBJ.');
      return;
    } else if (word !== 'mtllib') this.skipped++;
    this.currentSection = -1;
  }

  private finish(): MeshFile {
    const P = this.positions.length / 3;
    const F = this.faceOffsets.length - 1;
    if (P === 0 || F === 0) {
      if (P === 0)
        throw new InvalidInputError('NOT_THIS_FORMAT', 'this is not an OBJ file (it has no points); choose a mesh written as OBJ.');
      throw new InvalidInputError(
        'NO_FACES',
        `the file has ${P} points but no faces; it was cut off or holds only a point cloud, so write it again.`,
      );
    }
    if (this.declared && (this.declared.points !== P || this.declared.faces !== F))
      throw new InvalidInputError(
        'TRUNCATED',
        `the file says ${this.declared.points} points and ${this.declared.faces} faces but holds ${P} and ${F}; it was cut off, so write or copy it again.`,
      );
    const warnings: string[] = [];
    if (this.skipped > 0) warnings.push(`${this.skipped} lines with curves, lines or loose points were passed over.`);
    if (this.unknown > 0) warnings.push(`${this.unknown} lines that are not OBJ were passed over.`);
    if (this.b[this.b.length - 1] !== NEWLINE) warnings.push('The last line has no line end; if the file was cut off, write it again.');
    const { colors } = this;
    if (colors.length > 0) while (colors.length < this.positions.length) colors.push(1);
    const points = this.positions.finish();
    const origin = localOriginOf(points);
    const corners = this.faceVerts.length;
    const hasUvs = this.faceUvs.length > 0;
    const hasNormals = this.faceNormals.length > 0;
    return {
      mesh: {
        positions: aroundOrigin(points, origin),
        origin,
        faceOffsets: this.faceOffsets.finish(),
        faceVerts: this.faceVerts.finish(),
        uvs: hasUvs ? this.uvs.finish() : null,
        faceUvs: hasUvs ? filledTo(this.faceUvs, corners).finish() : null,
        normals: hasNormals ? this.normals.finish() : null,
        faceNormals: hasNormals ? filledTo(this.faceNormals, corners).finish() : null,
        colors: colors.length > 0 ? colors.finish() : null,
        sections: this.sections.list,
        faceSections: Uint16Array.from(this.faceSections.finish()),
        creases: null,
      },
      warnings,
      scene: NO_SCENE,
    };
  }
}

/** Keeps an index of the last of so many corners; nothing is kept as long as no corner has had one. */
function keep(list: GrowableU32, index: number, corners: number): void {
  if (index !== NO_INDEX || list.length > 0) filledTo(list, corners - 1).push(index);
}

function filledTo(list: GrowableU32, corners: number): GrowableU32 {
  while (list.length < corners) list.push(NO_INDEX);
  return list;
}
