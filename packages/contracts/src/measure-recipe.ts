import * as z from 'zod';
import { UNITS } from './values';
import { measureSchema } from './pass';
import { plainTitle } from './plain-text';

/** Settings of a pass that are kept under a name, for this part and others. Lengths in them are in `unit`. */
export const measureRecipeSchema = z.strictObject({
  name: plainTitle(60),
  unit: z.enum(UNITS),
  settings: measureSchema,
});
export type MeasureRecipe = z.infer<typeof measureRecipeSchema>;

export const savedRecipeSchema = measureRecipeSchema.extend({ id: z.uuid() });
export type SavedRecipe = z.infer<typeof savedRecipeSchema>;

/** A recipe as a file of its own. */
export const recipeFileSchema = measureRecipeSchema.extend({ what: z.literal('estampe measure recipe'), version: z.literal(1) });

export const writeRecipeFile = ({ name, unit, settings }: MeasureRecipe): string =>
  `${JSON.stringify({ what: 'estampe measure recipe', version: 1, name, unit, settings }, null, 2)}\n`;

/** @returns the recipe, or one sentence that says what is wrong with the file and where */
export function readRecipeFile(text: string, file: string): MeasureRecipe | string {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return `${file} is not JSON; choose a recipe that was saved here.`;
  }
  const parsed = recipeFileSchema.safeParse(value);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    return `${file}: ${issue.path.join('.') || 'the file'}: ${issue.message}; choose a recipe that was saved here, or mend that place.`;
  }
  const { name, unit, settings } = parsed.data;
  return { name, unit, settings };
}
