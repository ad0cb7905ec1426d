import type { Chart } from 'chart.js';

const FAMILY = "'IBM Plex Mono', 'Liberation Mono', monospace";
/** Figures along an axis. */
export const TICK = { font: { family: FAMILY, size: 11 }, maxRotation: 0 };

/** Draws a chart again when its figures' face has come: a canvas does not by itself. */
export function redrawWithFont(chart: Pick<Chart, 'update' | 'ctx'>): void {
  const { fonts } = document as { fonts?: FontFaceSet };
  // a chart that is gone meanwhile has no canvas any more
  void fonts?.load(`${TICK.font.size}px ${FAMILY}`).then(() => {
    if ((chart as { ctx: unknown }).ctx !== null) chart.update('none');
  });
}
