import type { Type } from '@angular/core';
import type { AssetDetail, ProofInfo, SpanInfo } from '@estampe/contracts';
import { CalibrateStep } from '../calibrate/calibrate-step';
import { GaugeFooter } from '../calibrate/gauge-footer';
import { DeliverStep, DeliveryStepPane } from '../deliver/deliver-step';
import { LevelsStep } from '../levels/levels-step';
import { MapsStep } from '../maps/maps-step';
import { ProofStep } from '../proof/proof-step';
import { SweepFooter } from '../proof/sweep-footer';
import { SculptStep } from '../sculpt/sculpt-step';
import { SheetStep } from '../sheet/sheet-step';

/** What the marks of the steps are made from. */
export interface StepState {
  readonly asset: AssetDetail | null;
  readonly span: SpanInfo | null;
  readonly proof: { readonly proof: ProofInfo; readonly current: boolean } | null;
}
export interface StepMark {
  readonly mark: 'ready' | 'needs' | 'old';
  /** In words, for the tooltip and who cannot see the mark. */
  readonly hint: string;
}
export interface Step {
  readonly label: string;
  readonly mark: (state: StepState) => StepMark;
  /** Settings and results. */
  readonly card: Type<unknown>;
  /** In the place of Stage and Sheet; null shows those. */
  readonly pane: Type<unknown> | null;
  /** Under all of it, and how it is called where it is hidden; null leaves its room to the rest. */
  readonly footer: { readonly component: Type<unknown>; readonly name: string } | null;
}

const ready: StepMark = { mark: 'ready', hint: 'ready' };
const needs = (hint: string): StepMark => ({ mark: 'needs', hint });
const old = (hint: string): StepMark => ({ mark: 'old', hint });
const isMeasured = ({ span }: StepState): boolean => (span?.fields.length ?? 0) > 0;
const gauge = { component: GaugeFooter, name: 'the Gauge' };

/** The steps by their name in the address, in the order of work; keys 1, 2, 3 and so on lead to them. */
export const STEPS = {
  sculpt: {
    label: 'Sculpt',
    mark: ({ asset }) =>
      asset?.stackKind === 'alone'
        ? needs('needs its light mesh or its sculpt')
        : asset?.findings.some((f) => f.severity === 'error')
          ? needs('needs mending: see the findings')
          : ready,
    card: SculptStep,
    pane: null,
    footer: null,
  },
  levels: {
    label: 'Levels',
    mark: ({ asset }) => (asset?.stackKind === 'alone' ? needs('needs a light mesh and its sculpt') : ready),
    card: LevelsStep,
    pane: null,
    footer: null,
  },
  sheet: {
    label: 'Sheet',
    mark: ({ asset }) => (asset?.tiles.length === 0 ? needs('needs UVs: unwrap the light mesh') : ready),
    card: SheetStep,
    pane: null,
    footer: null,
  },
  maps: {
    label: 'Maps',
    mark: (state) =>
      state.asset?.stackKind === 'alone'
        ? needs('needs a light mesh and its sculpt: bring in the other')
        : state.span?.outOfDate
          ? old('out of date: the light mesh changed')
          : isMeasured(state)
            ? ready
            : needs('needs a span that is extracted'),
    card: MapsStep,
    pane: null,
    footer: gauge,
  },
  calibrate: {
    label: 'Calibrate',
    mark: (state) => (isMeasured(state) ? ready : needs('needs an extracted span')),
    card: CalibrateStep,
    pane: null,
    footer: gauge,
  },
  proof: {
    label: 'Proof',
    mark: ({ proof }) => (proof === null ? needs('needs a proof') : proof.current ? ready : old('out of date: encoding or mesh changed')),
    card: ProofStep,
    pane: null,
    footer: { component: SweepFooter, name: 'the sweep' },
  },
  deliver: {
    label: 'Deliver',
    mark: ({ asset }) => (asset?.spans.some((s) => s.proofs.length > 0 && !s.outOfDate) ? ready : needs('needs a proven map')),
    card: DeliverStep,
    pane: DeliveryStepPane,
    footer: null,
  },
} as const satisfies Readonly<Record<string, Step>>;

export type StepName = keyof typeof STEPS;
export const STEP_NAMES = Object.keys(STEPS) as StepName[];
