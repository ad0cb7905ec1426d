/** Where something is done about a finding that no mend of one click helps: a step, and what is done there. */
const SHEET = { step: 'sheet', words: 'Islands and seams are on the Sheet' } as const;
const LEVELS = { step: 'levels', words: 'Settle it in Levels' } as const;
const BRUSH = { step: 'levels', words: 'Brush it in Levels' } as const;

export type FindingLead = typeof SHEET | typeof LEVELS | typeof BRUSH;

const LEADS: Readonly<Record<string, FindingLead>> = {
  'no-uvs': SHEET,
  'uv-overlap': SHEET,
  'uv-across-tiles': SHEET,
  'uv-flipped': SHEET,
  'uv-mirrored': SHEET,
  'uv-stretched': SHEET,
  'uv-uneven': SHEET,
  'uv-margin': SHEET,
  'base-unsettled': LEVELS,
  'transfer-missed': BRUSH,
  'transfer-folded': BRUSH,
};

/** @param code of a finding */
export const leadOf = (code: string): FindingLead | null => (Object.hasOwn(LEADS, code) ? LEADS[code] : null);
