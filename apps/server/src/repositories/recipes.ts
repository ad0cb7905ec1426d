import type { MeasureRecipe, SavedRecipe } from '@estampe/contracts';
import { savedRecipeSchema } from '@estampe/contracts';
import { UniqueConstraintError } from 'sequelize';
import type { Database } from '../db/connect';
import type { RecipeRow } from '../db/models';
import { AppError } from '../http/app-error';

/** A recipe as it is kept; null where it cannot be read, which must not hide the others. */
export const savedRecipe = ({ id, name, unit, settings }: RecipeRow): SavedRecipe | null =>
  savedRecipeSchema.safeParse({ id, name, unit, settings }).data ?? null;

/** Settings of passes that are kept under a name. */
export class Recipes {
  constructor(private readonly db: Database) {}

  async list(): Promise<SavedRecipe[]> {
    const rows = await this.db.models.Recipe.findAll({ order: [['name', 'ASC']] });
    return rows.map(savedRecipe).filter((recipe) => recipe !== null);
  }

  /** Chooses what assets of the same production start from. @param recipeId null for nothing @throws AppError NOT_FOUND */
  async use(assetId: string, recipeId: string | null): Promise<void> {
    const { Asset, Production, Recipe } = this.db.models;
    const asset = await Asset.findByPk(assetId);
    if (asset === null) throw new AppError('NOT_FOUND', 'That asset is not here; go back to the list.');
    if (recipeId !== null && (await Recipe.findByPk(recipeId)) === null)
      throw new AppError('NOT_FOUND', 'That recipe is not here any more; choose another.');
    await Production.update({ recipeId }, { where: { id: asset.productionId } });
  }

  /** @throws AppError CONFLICT when the name is taken: nothing is overwritten */
  async save(recipe: MeasureRecipe): Promise<SavedRecipe> {
    try {
      const { id } = await this.db.models.Recipe.create(recipe);
      return { id, ...recipe };
    } catch (error) {
      if (error instanceof UniqueConstraintError)
        throw new AppError('CONFLICT', `There is a recipe named ${recipe.name} already; choose another name, or delete that one first.`);
      throw error;
    }
  }

  async remove(id: string): Promise<void> {
    await this.db.models.Recipe.destroy({ where: { id } });
  }
}
