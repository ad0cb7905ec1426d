import type { IslandEdit, RunControl } from '@estampe/core';
import { editIslands, subProgress } from '@estampe/core';
import type { JobInput, LowResult } from './job-messages';
import { lightOf } from './light-mesh';
import { lightLevel, relaid } from './run-unwrap';

const DONE: Readonly<Record<IslandEdit['op'], string>> = { move: 'moved', turn: 'turned', mirror: 'mirrored' };

/** Moves, turns or mirrors islands of a light mesh; its levels follow. */
export function runIslands({ rungs, edit, ...light }: Extract<JobInput, { kind: 'islands' }>, control: RunControl): LowResult {
  const mesh = editIslands(lightOf(light), edit);
  const n = edit.faces.length;
  return {
    kind: 'low',
    title: `${n === 1 ? 'an island' : `${n} islands`} ${DONE[edit.op]}`,
    level: lightLevel(mesh, [], subProgress(control, 0.1, 0.5)),
    rungs: relaid(mesh, rungs, subProgress(control, 0.5, 1)),
  };
}
