import type { RunControl } from '@estampe/core';
import { InvalidInputError, MENDS, subProgress } from '@estampe/core';
import { lightOf } from './light-mesh';
import type { JobInput, LowResult } from './job-messages';
import { lightLevel, relaid } from './run-unwrap';

/** Mends the light mesh of a part. @throws InvalidInputError BAD_OPTION where there is nothing to mend */
export function runMend({ rungs, request, ...light }: Extract<JobInput, { kind: 'mend' }>, control: RunControl): LowResult {
  const kind = MENDS[request.mend];
  const { mesh, count } = kind.apply(lightOf(light), request.amount);
  if (count === 0) throw new InvalidInputError('BAD_OPTION', 'There was nothing to mend; the light mesh is as it was.', { option: 'mend' });
  const level = lightLevel(mesh, [], subProgress(control, 0, 0.5));
  return {
    kind: 'low',
    title: kind.says(count),
    rungs: kind.changesSurface ? [] : relaid(mesh, rungs, subProgress(control, 0.5, 1)),
    level,
  };
}
