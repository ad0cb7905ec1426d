import type { AssetDetail, MeasureRequest, SpanInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { displaces, MOVING_KINDS } from '@estampe/core';
import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import { unitOf } from '../shared/kinds';
import { whyNot } from '../shared/recipe-fit';
import { AssetsApi, assetsFeature, BenchPage } from './assets.state';
import { BenchApi, Ladder, MapsCard } from './bench-actions';

/** The slice of the step Maps: what the next pass is asked with, and which measured span is open. */

interface MapsState {
  /** The asset that the settings were ticked for. */
  readonly assetId: string | null;
  /** The part that the settings are for. */
  readonly partId: string | null;
  /** Null while a new one is drawn. */
  readonly spanId: string | null;
  readonly settings: MeasureRequest;
}
/** What a first pass is proposed with. Matching seams costs little, and does nothing where no islands meet. */
export const PROPOSED_SETTINGS: MeasureRequest = { ...MEASURE_DEFAULTS, matchSeams: true };

const initial: MapsState = { assetId: null, partId: null, spanId: null, settings: PROPOSED_SETTINGS };

/** Of a mesh alone: what needs no second one. */
const OF_ONE_MESH = { kinds: ['occlusion'], base: 'polygons' } as const satisfies Partial<MeasureRequest>;

/** The settings that a span was measured with, to start the next one from. */
function settingsOf({ settings: { kind, ...common } }: SpanInfo): MeasureRequest {
  return { ...common, kinds: [kind], tiles: null };
}

/** What the card starts from: what is there while the same span, or the same new one, is open; else the part's own recipe, its
 *  newest span, or what its production usually starts from. */
function settingsFor(asset: AssetDetail, chosen: SpanInfo | null, { assetId, partId, spanId, settings }: MapsState): MeasureRequest {
  const top = asset.levelList.length - 1;
  const samePart = partId === asset.part.id;
  if (samePart && (chosen?.id ?? null) === spanId && settings.fromLevel <= top && settings.toLevel <= top) return settings;
  const recipe = asset.parts.find((p) => p.id === asset.part.id)?.recipe ?? null;
  const whole = { fromLevel: 0, toLevel: top };
  // what was ticked for one asset is not ticked for the next: a map that nobody wanted there costs minutes
  const usual = asset.usual !== null && whyNot(asset.usual, asset) === null ? asset.usual.settings : null;
  if (assetId !== asset.id && recipe === null && chosen === null && usual !== null) return { ...usual, tiles: null };
  const fresh =
    assetId === asset.id ? settings : { ...PROPOSED_SETTINGS, size: settings.size, ...(asset.stackKind === 'alone' ? OF_ONE_MESH : {}) };
  const next = !samePart && recipe !== null ? recipe : chosen ? settingsOf(chosen) : { ...fresh, ...whole };
  // levels may have gone since
  return next.fromLevel <= top && next.toLevel <= top ? next : { ...next, ...whole };
}

/** The span that is open: the same one when it is there still, none while a new one is drawn on the same part, else the first of the newest pass that displaces: what shades
 *  it comes after it. */
function spanOpen(asset: AssetDetail, { partId, spanId }: MapsState): SpanInfo | null {
  if (partId === asset.part.id && spanId === null) return null;
  return asset.spans.find((s) => s.id === spanId) ?? firstDisplacing(asset.spans) ?? asset.spans.at(-1) ?? null;
}

function firstDisplacing(spans: readonly SpanInfo[]): SpanInfo | undefined {
  const current = spans.filter(({ outOfDate, settings }) => !outOfDate && displaces(settings.kind));
  const passOf = ({ settings }: SpanInfo): string => JSON.stringify({ ...settings, kind: null });
  const newest = current.filter((span) => passOf(span) === passOf(current[current.length - 1]));
  return MOVING_KINDS.map((kind) => newest.findLast(({ settings }) => settings.kind === kind)).find((span) => span !== undefined);
}

export const mapsFeature = createFeature({
  name: 'maps',
  reducer: createReducer<MapsState>(
    initial,
    on(BenchPage.opened, (state): MapsState => ({ ...state, partId: null, spanId: null })),
    on(AssetsApi.assetLoaded, (state, { asset }): MapsState => {
      const chosen = spanOpen(asset, state);
      return { assetId: asset.id, partId: asset.part.id, spanId: chosen?.id ?? null, settings: settingsFor(asset, chosen, state) };
    }),
    on(Ladder.spanDrawn, (state, { fromLevel, toLevel }): MapsState => ({
      ...state,
      settings: { ...state.settings, fromLevel, toLevel },
      spanId: null,
    })),
    on(Ladder.spanChosen, (state, { span }): MapsState =>
      span.id === state.spanId ? state : { ...state, spanId: span.id, settings: settingsOf(span) },
    ),
    on(MapsCard.settingsChanged, (state, { change }): MapsState => ({ ...state, settings: { ...state.settings, ...change } })),
    on(BenchApi.jobStarted, (state, { job }): MapsState => (job.kind === 'extract' ? { ...state, spanId: job.spanId } : state)),
  ),
  extraSelectors: ({ selectSpanId }) => {
    const selectSpan = createSelector(assetsFeature.selectOpen, selectSpanId, (asset, id) => asset?.spans.find((s) => s.id === id) ?? null);
    return {
      selectSpan,
      /** Unit of the values of the chosen map. */
      selectValueUnit: createSelector(assetsFeature.selectOpen, selectSpan, (asset, span) =>
        unitOf(span?.settings.kind ?? 'scalar', asset?.unit ?? ''),
      ),
    };
  },
});
