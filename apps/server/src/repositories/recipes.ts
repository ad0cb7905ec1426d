import type { MeasureRecipe, SavedRecipe } from '@estampe/contracts';
import { savedRecipeSchema } from '@estampe/contracts';
import { UniqueConstraintError } from 'sequelize';
import type { Database } from '../db/connect';
import { AppError } from '../http/app-error';

/** Settings of passes that are kept under a name. */
export class Recipes {
  constructor(private readonly db: Database) {}

  async list(): Promise<SavedRecipe[]> {
    const rows = await this.db.models.Recipe.findAll({ order: [['name', 'ASC']] });
    return rows.map(({ id, name, unit, settings }) => savedRecipeSchema.parse({ id, name, unit, settings }));
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
