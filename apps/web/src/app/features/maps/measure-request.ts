import type { MeasureRequest } from '@estampe/contracts';

/** What is sent for the settings of the card: options of heights mean nothing without heights. */
export const measureRequest = (settings: MeasureRequest): MeasureRequest =>
  settings.kinds.includes('scalar') ? settings : { ...settings, matchSeams: false, fitTexels: false };
