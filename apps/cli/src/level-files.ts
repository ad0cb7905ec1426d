import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { PolyMesh, SceneFacts } from '@estampe/core';
import { InvalidInputError, MESH_FORMATS } from '@estampe/core';
import { writeMesh } from '@estampe/geometry';
import { writeOutput } from '@estampe/node';
import * as z from 'zod';
import type { Context } from './context';

/** More levels than any mesh has. */
const MOST_LEVELS = 16;

/** The format that levels are written in. */
export const LEVEL_FORMAT = {
  format: z
    .enum(Object.keys(MESH_FORMATS).filter((name) => MESH_FORMATS[name as keyof typeof MESH_FORMATS].written) as [string, ...string[]])
    .default('obj'),
};

const fileOf = (folder: string, level: number, format: string): string => join(folder, `level-${level}.${format}`);

/** Every file that levels may be written to, so that none of them is an input; the folder is made. @throws InvalidInputError BAD_OPTION */
export async function levelFiles(folder: string, format: string): Promise<string[]> {
  try {
    await mkdir(folder, { recursive: true });
  } catch (error) {
    throw new InvalidInputError('BAD_OPTION', `${folder} cannot be made a folder (${error instanceof Error ? error.message : String(error)}); choose another.`, { option: 'out' }); // prettier-ignore
  }
  return Array.from({ length: MOST_LEVELS }, (_, k) => fileOf(folder, k, format));
}

/** Writes levels into a folder, level 0 first. @returns a line for each */
export async function writeLevels(
  context: Context,
  folder: string,
  format: string,
  levels: readonly PolyMesh[],
  scene: SceneFacts,
): Promise<string[]> {
  const lines: string[] = [];
  for (const [k, mesh] of levels.entries()) {
    const path = fileOf(folder, k, format);
    const { bytes, lost } = await writeMesh(mesh, path, { control: context.control, scene });
    if (lost !== null && k === 0) context.warnings.push(`${path}: ${lost}`);
    await writeOutput(path, bytes);
    lines.push(context.describe(path, mesh));
  }
  return lines;
}
