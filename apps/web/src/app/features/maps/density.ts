import type { AssetDetail, SpanInfo } from '@estampe/contracts';
import { significant } from '../../shared/format';
import type { Shot } from '../../shared/tolerance';
import { pixelsPerUnit } from '../../shared/tolerance';

/** Texels of a map against what it must hold: the faces of the level it was measured from, and the pixels that a shot sees of it. */
export interface Density {
  /** Covered texels a face of the finer level. */
  readonly perFace: number;
  /** Mean length on the surface of a texel's side; null in fields from before this was kept. */
  readonly texelUnits: number | null;
  /** Texels a pixel of the shot, along a line; null where the texel's length is not known. */
  readonly perPixel: number | null;
}

/** A level with fewer texels a face is largely lost; with more, bytes are wasted. */
const FACE_TEXELS = { least: 4, most: 64 } as const;
/** What a filter needs, along a line, for the finest detail that pixels can show. */
const PIXEL_TEXELS = { wanted: 2, most: 4 } as const;

export function densityOf({ levelList }: Pick<AssetDetail, 'levelList'>, { fields, settings }: SpanInfo, shot: Shot): Density {
  const covered = fields.reduce((n, f) => n + f.covered, 0);
  const known = fields.filter((f) => f.texelUnits !== null && f.covered > 0);
  const weight = known.reduce((n, f) => n + f.covered, 0);
  const texelUnits = weight === 0 ? null : known.reduce((n, f) => n + f.covered * (f.texelUnits ?? 0), 0) / weight;
  const faces = levelList[Math.min(settings.toLevel, levelList.length - 1)].faces;
  return { perFace: covered / faces, texelUnits, perPixel: texelUnits === null ? null : 1 / (texelUnits * pixelsPerUnit(shot)) };
}

/** Side of the largest map. */
const LARGEST = 16384;

/** What to make of it, in sentences; none when all is well. @param size of the map @param shot null while nobody has set one: then pixels say nothing */
export function densityNotes({ perFace, perPixel }: Density, size: number, shot: Shot | null): string[] {
  const notes: string[] = [];
  const next = (texels: number, wanted: number): number => size * 2 ** Math.max(1, Math.ceil(Math.log2(wanted / texels)));
  /** The map that would do, or that no single tile can. */
  const asMap = (side: number): string =>
    side > LARGEST ? 'no single tile has; spread the islands over more tiles' : `a map of ${side} has`;
  if (perFace < FACE_TEXELS.least)
    notes.push(
      `Only ${significant(perFace, 2)} texels a face of the finer level: its own detail is largely lost. A map of ${next(Math.sqrt(perFace), 2)} would hold it.`,
    );
  if (perFace > FACE_TEXELS.most)
    notes.push(`${significant(perFace, 2)} texels a face of the finer level: half the size would hold it too; the sweep in Proof decides.`);
  if (shot !== null && perPixel !== null && perPixel < PIXEL_TEXELS.wanted)
    notes.push(
      `${significant(perPixel, 2)} texels a pixel in ${shot.name}: two are wanted there, which ${asMap(next(perPixel, PIXEL_TEXELS.wanted))}, or a greater distance.`,
    );
  if (shot !== null && perPixel !== null && perPixel > PIXEL_TEXELS.most)
    notes.push(`${significant(perPixel, 2)} texels a pixel in ${shot.name}: more than the shot can show; half the size would do for it.`);
  return notes;
}
