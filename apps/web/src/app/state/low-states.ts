import type { AssetDetail, PartInfo } from '@estampe/contracts';

type States = Pick<PartInfo, 'states' | 'statePlace'>;
/** The part that an asset is seen through. */
export const openPart = ({ parts, part }: Pick<AssetDetail, 'parts' | 'part'>): PartInfo =>
  parts.find(({ id }) => id === part.id) ?? parts[0];

type State = PartInfo['states'][number];

/** The state that an undo goes back to; null where there is none. */
export const stateBefore = ({ states, statePlace }: States): State | null =>
  states.filter(({ place }) => place < statePlace).at(-1) ?? null;

/** The one that a redo goes to. */
export const stateAfter = ({ states, statePlace }: States): State | null => states.find(({ place }) => place > statePlace) ?? null;
