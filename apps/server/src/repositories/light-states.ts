import type { SetGroups } from '@estampe/contracts';
import { groupsOfRuns, PAIR_FINDINGS } from '@estampe/core';
import type { Transaction } from 'sequelize';
import { Op } from 'sequelize';
import type { Database } from '../db/connect';
import type { LevelRow, PartRow, PartStateRow } from '../db/models';
import { AppError } from '../http/app-error';
import type { NewLevel } from './assets';
import { meshOf } from './assets';
import { stampOf } from './part-stamp';
import { placeLevels } from './whole-state';

/** States of a light mesh that can be gone back to. */
const MOST_STATES = 50;
const meshIdsOf = (levels: readonly LevelRow[]): PartStateRow['levels'] =>
  levels.map(({ level, meshId, detail }) => ({ level, meshId, detail }));

/** States of parts' light meshes: each change is one, and undo and redo go from one to the next. */
export class LightStates {
  constructor(private readonly db: Database) {}

  /** What a part has now, by name. @throws AppError NOT_FOUND */
  async stampOf(partId: string, transaction?: Transaction): Promise<string> {
    await this.part(partId, transaction);
    return stampOf((await this.levelsOf(partId, transaction)).map(({ meshId }) => meshId));
  }

  /** Whether a part is what a change was made from; whoever gave a transaction holds it so until its end.
   *  @param madeFrom null for changes asked for by a version that kept no stamps
   *  @throws AppError NOT_FOUND where it was removed meanwhile; CONFLICT saying what has changed */
  async requireState(partId: string, madeFrom: string | null, transaction?: Transaction): Promise<void> {
    const part = await this.part(partId, transaction);
    if (madeFrom === null || (await this.stampOf(partId, transaction)) === madeFrom) return;
    const states = await this.db.models.PartState.findAll({
      where: { partId },
      order: [['place', 'ASC']],
      ...(transaction && { transaction }),
    });
    const from = states.find(({ levels }) => stampOf(levels.map(({ meshId }) => meshId)) === madeFrom)?.place;
    const titles = states.filter(({ place }) => from !== undefined && place > from && place <= part.statePlace).map(({ title }) => title);
    const now = states.find(({ place }) => place === part.statePlace)?.title ?? 'brought in';
    const what = titles.length > 0 ? titles.join(', ') : `it is at '${now}' now`;
    throw new AppError('CONFLICT', `${part.name} has changed since this was asked for (${what}), so nothing was done to it; look at it, then do this again.`); // prettier-ignore
  }

  private async part(partId: string, transaction?: Transaction): Promise<PartRow> {
    const part = await this.db.models.Part.findByPk(partId, transaction ? { transaction, lock: transaction.LOCK.UPDATE } : {});
    if (part === null) throw new AppError('NOT_FOUND', 'That part is not here; bring it back first if it was removed.');
    return part;
  }

  /** Puts a new light mesh into a part's stack, and the levels whose UVs follow it, as a state that can be undone; states that were undone go.
   *  @param rungs hashes of the meshes of levels 1, 2 and so on
   *  @param isMoved whether its points are others than before: else what was said of it and its sculpt together holds */
  async replaceLow(
    partId: string,
    title: string,
    low: NewLevel,
    rungs: readonly string[],
    isMoved: boolean,
    transaction: Transaction,
  ): Promise<void> {
    const { Mesh } = this.db.models;
    const part = await this.part(partId, transaction);
    await this.firstState(part, transaction);
    const before = await this.levelsOf(partId, transaction);
    const { findings: saidBefore } = await Mesh.findByPk(before[0].meshId, { rejectOnEmpty: true, transaction });
    const holds = isMoved ? [] : saidBefore.filter(({ code }) => PAIR_FINDINGS.some((about) => about === code));
    const mesh = await Mesh.create(meshOf({ ...low, findings: [...low.findings, ...holds] }), { transaction });
    await before[0].update({ meshId: mesh.id }, { transaction });
    for (const [k, hash] of rungs.entries()) {
      const level = before[k + 1];
      const old = await Mesh.findByPk(level.meshId, { rejectOnEmpty: true, transaction });
      const { points, faces, diagonal, tiles, findings, colours } = old;
      const rung = await Mesh.create({ points, faces, diagonal, tiles, findings, colours, hash }, { transaction });
      await level.update({ meshId: rung.id }, { transaction });
    }
    await this.addState(part, title, transaction);
  }

  /** Gives the light mesh of a part other groups, as a state that can be undone. Its bytes stay what they are, so that no map is out of date.
   *  @param seen what it was made from; null for what there is
   *  @returns its asset's id @throws AppError NOT_FOUND; CONFLICT; BAD_OPTION for groups of another mesh */
  async setGroups(partId: string, { title, groups }: SetGroups, seen: string | null): Promise<string> {
    return this.db.sequelize.transaction(async (transaction) => {
      const { Mesh } = this.db.models;
      const part = await this.part(partId, transaction);
      await this.requireState(partId, seen, transaction);
      const [light] = await this.levelsOf(partId, transaction);
      const { hash, points, faces, diagonal, tiles, findings, colours, uv } = await Mesh.findByPk(light.meshId, {
        rejectOnEmpty: true,
        transaction,
      });
      groupsOfRuns(groups, faces);
      const mesh = await Mesh.create({ hash, points, faces, diagonal, tiles, findings, colours, uv, groups }, { transaction });
      await this.firstState(part, transaction);
      await light.update({ meshId: mesh.id }, { transaction });
      await this.addState(part, title, transaction);
      return part.assetId;
    });
  }

  /** Gives a part other levels, as a state that can be undone.
   *  @param levels from the light mesh up: new ones, and those that stay, by their mesh
   *  @throws AppError CONFLICT where one of those has gone meanwhile */
  async replaceLevels(
    partId: string,
    title: string,
    levels: readonly (NewLevel | { readonly kept: string; readonly detail: number | null })[],
    transaction: Transaction,
  ): Promise<void> {
    const { Mesh } = this.db.models;
    const part = await this.part(partId, transaction);
    if (levels.length === 0) throw new AppError('CONFLICT', `${part.name} would be left without a light mesh; nothing was changed.`);
    await this.firstState(part, transaction);
    const there = new Set((await this.levelsOf(partId, transaction)).map(({ meshId }) => meshId));
    const placed: PartStateRow['levels'] = [];
    for (const [level, l] of levels.entries()) {
      if ('kept' in l && !there.has(l.kept))
        throw new AppError('CONFLICT', 'This part has got other levels meanwhile; look at it again, then ask for this once more.');
      const meshId = 'kept' in l ? l.kept : (await Mesh.create(meshOf(l), { transaction })).id;
      placed.push({ level, meshId, detail: l.detail });
    }
    await placeLevels(this.db, { partId, kind: placed.length > 1 ? 'stack' : 'alone', levels: placed }, transaction);
    await this.addState(part, title, transaction);
  }

  private async stateOf(partId: string, transaction: Transaction): Promise<Pick<PartStateRow, 'partId' | 'kind' | 'levels'>> {
    const { kind } = await this.db.models.Stack.findOne({ where: { partId }, rejectOnEmpty: true, transaction });
    return { partId, kind, levels: meshIdsOf(await this.levelsOf(partId, transaction)) };
  }

  /** Keeps how a part was brought in, before its first change. */
  private async firstState({ id: partId }: PartRow, transaction: Transaction): Promise<void> {
    const { PartState } = this.db.models;
    if ((await PartState.count({ where: { partId }, transaction })) === 0)
      await PartState.create({ ...(await this.stateOf(partId, transaction)), place: 0, title: 'brought in' }, { transaction });
  }

  /** Keeps how a part is now as its newest state; states that were undone go. */
  private async addState(part: PartRow, title: string, transaction: Transaction): Promise<void> {
    const { PartState } = this.db.models;
    const { id: partId } = part;
    const place = part.statePlace + 1;
    await PartState.destroy({
      where: { partId, place: { [Op.or]: [{ [Op.gte]: place }, { [Op.lt]: place - MOST_STATES }] } },
      transaction,
    });
    await PartState.create({ ...(await this.stateOf(partId, transaction)), place, title }, { transaction });
    await part.update({ statePlace: place }, { transaction });
  }

  /** Levels of a part, from the light mesh up. */
  private async levelsOf(partId: string, transaction?: Transaction): Promise<LevelRow[]> {
    const { Level, Stack } = this.db.models;
    const within = transaction ? { transaction } : {};
    const stack = await Stack.findOne({ where: { partId }, rejectOnEmpty: true, ...within });
    return Level.findAll({ where: { stackId: stack.id }, order: [['level', 'ASC']], ...within });
  }

  /** Goes to a state of a part's light mesh. @param seen as for `setGroups` @returns its asset's id @throws AppError NOT_FOUND, CONFLICT */
  async goToState(partId: string, place: number, seen: string | null): Promise<string> {
    const { PartState } = this.db.models;
    return this.db.sequelize.transaction(async (transaction) => {
      const part = await this.part(partId, transaction);
      await this.requireState(partId, seen, transaction);
      const state = await PartState.findOne({ where: { partId, place }, transaction });
      if (state === null) throw new AppError('NOT_FOUND', 'That state of the light mesh is not kept any more; load the page again.');
      await placeLevels(this.db, state, transaction);
      await part.update({ statePlace: place }, { transaction });
      return part.assetId;
    });
  }
}
