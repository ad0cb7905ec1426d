/** What bringing in goes through, and the share of the work that has been done when each begins. */
export const IMPORT_STAGES = [
  { name: 'reading', from: 0 },
  { name: 'finding levels', from: 0.6 },
  { name: 'checking', from: 0.65 },
  { name: 'drawing', from: 0.88 },
  { name: 'storing', from: 0.92 },
] as const;
export type ImportStage = (typeof IMPORT_STAGES)[number]['name'];

/** The share that has been done when a stage begins. */
export const importShare = (stage: ImportStage): number => IMPORT_STAGES.find(({ name }) => name === stage)?.from ?? 0;

/** Index of the stage that a share of the work is in. */
export const importStageAt = (fraction: number): number => Math.max(0, IMPORT_STAGES.filter(({ from }) => from <= fraction).length - 1);
