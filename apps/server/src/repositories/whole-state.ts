import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import type { PartStateRow } from '../db/models';

/** Puts meshes where the levels of a part are. A level whose detail the state does not say keeps what it had. */
export async function placeLevels(
  { models: { Level, Stack } }: Database,
  { partId, kind, levels }: Pick<PartStateRow, 'partId' | 'kind' | 'levels'>,
  transaction: Transaction,
): Promise<void> {
  const stack = await Stack.findOne({ where: { partId }, rejectOnEmpty: true, transaction });
  const known = new Map((await Level.findAll({ where: { stackId: stack.id }, transaction })).map(({ level, detail }) => [level, detail]));
  await Level.destroy({ where: { stackId: stack.id }, transaction });
  for (const { level, meshId, detail } of levels)
    await Level.create({ stackId: stack.id, level, meshId, detail: detail === undefined ? (known.get(level) ?? null) : detail }, { transaction }); // prettier-ignore
  if (kind !== null) await stack.update({ kind }, { transaction });
}

/** Takes a part that has lost levels back to the newest of its states whose meshes are all there.
 *  @returns the state's title; null where there is none */
export async function backToWhole(db: Database, partId: string): Promise<string | null> {
  const { Part, PartState, Mesh, Stack } = db.models;
  return db.sequelize.transaction(async (transaction) => {
    const part = await Part.findByPk(partId, { transaction, lock: transaction.LOCK.UPDATE });
    if (part === null || (await Stack.findOne({ where: { partId }, transaction })) === null) return null;
    for (const state of await PartState.findAll({ where: { partId }, order: [['place', 'DESC']], transaction })) {
      const meshIds = state.levels.map((level) => level.meshId);
      const there = await Mesh.count({ where: { id: meshIds }, transaction });
      if (meshIds.length === 0 || there < new Set(meshIds).size) continue;
      await placeLevels(db, state, transaction);
      await part.update({ statePlace: state.place }, { transaction });
      return state.title;
    }
    return null;
  });
}
