import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { EncodingSettings, ExtractSettings, ProveRequest } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { AngularSplitModule } from 'angular-split';
import { Gauge } from '../../gauge/gauge';
import { Ladder } from '../../ladder/ladder';
import { PressPanel } from '../../shared/press-panel';
import { ShortcutsPanel } from '../../shared/shortcuts-panel';
import { Sheet } from '../../sheet/sheet';
import type { StageSource } from '../../stage/stage';
import { Stage } from '../../stage/stage';
import { assetsFeature, BenchPage as PageActions } from '../../state/assets.state';
import {
  benchFeature,
  CalibrateCard as CalibrateActions,
  Ladder as LadderActions,
  MapsCard as MapsActions,
  ProofCard as ProofActions,
} from '../../state/bench.state';
import type { ProofDraft } from '../../state/bench.state';
import { PressPanel as PressActions, pressFeature } from '../../state/press.state';
import { CalibrateCard } from '../calibrate/calibrate-card';
import { MapsCard } from '../maps/maps-card';
import { ProofCard } from '../proof/proof-card';
import { SculptCard } from '../sculpt/sculpt-card';

const STEPS = ['sculpt', 'maps', 'calibrate', 'proof'] as const;
type Step = (typeof STEPS)[number];
type Panes = 'both' | 'stage' | 'sheet';
const LAYOUT_KEY = 'estampe.layout';
/** A sculpt above this many faces is shown by the rung below it while there is one. */
const SHOWN_FACES = 700_000;
const COARSE_FACES = 24_000;

interface TabState {
  readonly step: Step;
  readonly label: string;
  readonly mark: 'ready' | 'needs' | 'old';
  readonly hint: string;
}

/** One asset open: Ladder, Stage and Sheet, the Card of the step, Gauge. The only part of the bench that knows the store. */
@Component({
  selector: 'est-bench-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    AngularSplitModule,
    PressPanel,
    ShortcutsPanel,
    Ladder,
    Stage,
    Sheet,
    Gauge,
    SculptCard,
    MapsCard,
    CalibrateCard,
    ProofCard,
  ],
  host: { '(document:keydown)': 'key($event)' },
  templateUrl: './bench-page.html',
  styleUrl: './bench-page.scss',
})
export class BenchPage {
  readonly assetId = input.required<string>();
  readonly step = input.required<string>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly shortcuts = viewChild.required(ShortcutsPanel);

  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly loadMessage = this.store.selectSignal(assetsFeature.selectMessage);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectJobs);
  protected readonly span = this.store.selectSignal(benchFeature.selectSpan);
  protected readonly spanId = this.store.selectSignal(benchFeature.selectSpanId);
  protected readonly settings = this.store.selectSignal(benchFeature.selectSettings);
  protected readonly history = this.store.selectSignal(benchFeature.selectHistory);
  protected readonly encoding = this.store.selectSignal(benchFeature.selectEncoding);
  protected readonly proof = this.store.selectSignal(benchFeature.selectProof);
  protected readonly draft = this.store.selectSignal(benchFeature.selectDraft);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);

  protected readonly panes = signal<Panes>(readLayout().panes);
  protected readonly gaugeOpen = signal(readLayout().gauge);
  protected readonly current = computed<Step>(() => STEPS.find((s) => s === this.step()) ?? 'maps');
  protected readonly fields = computed(() => this.span()?.fields ?? []);

  protected readonly tabs = computed<TabState[]>(() => {
    const ready = this.fields().length > 0;
    const proof = this.proof();
    return [
      {
        step: 'sculpt',
        label: 'Sculpt',
        mark: this.asset()?.findings.some((f) => f.severity === 'error') ? 'needs' : 'ready',
        hint: 'ready',
      },
      { step: 'maps', label: 'Maps', mark: ready ? 'ready' : 'needs', hint: ready ? 'ready' : 'needs a span that is extracted' },
      { step: 'calibrate', label: 'Calibrate', mark: ready ? 'ready' : 'needs', hint: ready ? 'ready' : 'needs an extracted span' },
      {
        step: 'proof',
        label: 'Proof',
        mark: proof === null ? 'needs' : proof.current ? 'ready' : 'old',
        hint: proof === null ? 'needs a proof' : proof.current ? 'ready' : 'out of date: the encoding changed',
      },
    ];
  });

  protected readonly stageSource = computed<StageSource | null>(
    () => {
      const asset = this.asset();
      if (!asset) return null;
      const span = this.span();
      const levels = asset.levelList;
      const to = span?.settings.toLevel ?? levels.length - 1;
      let shown = levels[Math.min(to, levels.length - 1)];
      if (asset.stackKind === 'stack') while (shown.faces > SHOWN_FACES && shown.level > 1) shown = levels[shown.level - 1];
      const coarse =
        asset.stackKind === 'stack' && shown.faces > COARSE_FACES
          ? ([...levels].reverse().find((l) => l.faces <= COARSE_FACES) ?? null)
          : null;
      return {
        lowMeshId: levels[span?.settings.fromLevel ?? 0].meshId,
        sculptMeshId: shown.meshId,
        sculptLabel: asset.stackKind === 'free' ? 'sculpt' : `sculpt, level ${shown.level}`,
        coarseMeshId: coarse?.meshId ?? null,
        proof: this.proof()?.proof ?? null,
        unit: asset.unit,
      };
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );

  constructor() {
    effect(() => this.store.dispatch(PageActions.opened({ assetId: this.assetId() })));
    effect(() => localStorage.setItem(LAYOUT_KEY, JSON.stringify({ panes: this.panes(), gauge: this.gaugeOpen() })));
  }

  protected go(step: Step): void {
    void this.router.navigate(['/assets', this.assetId(), step]);
  }
  protected drawSpan(span: { fromLevel: number; toLevel: number }): void {
    this.store.dispatch(LadderActions.spanDrawn(span));
    this.go('maps');
  }
  protected chooseSpan(spanId: string): void {
    this.store.dispatch(LadderActions.spanChosen({ spanId }));
  }
  protected changeSettings(change: Partial<ExtractSettings>): void {
    this.store.dispatch(MapsActions.settingsChanged({ change }));
  }
  protected extract(settings: ExtractSettings): void {
    this.store.dispatch(MapsActions.extractPressed({ assetId: this.assetId(), settings }));
  }
  protected propose(encoding: EncodingSettings): void {
    const spanId = this.spanId();
    if (spanId) this.store.dispatch(CalibrateActions.encodingProposed({ spanId, encoding }));
  }
  protected encode(encoding: EncodingSettings): void {
    const spanId = this.spanId();
    if (spanId) this.store.dispatch(CalibrateActions.encodingChanged({ spanId, encoding }));
  }
  protected undo(): void {
    this.store.dispatch(CalibrateActions.undoPressed());
  }
  protected redo(): void {
    this.store.dispatch(CalibrateActions.redoPressed());
  }
  protected changeDraft(change: Partial<ProofDraft>): void {
    this.store.dispatch(ProofActions.requestChanged({ change }));
  }
  protected prove(request: ProveRequest): void {
    const spanId = this.spanId();
    const encoding = this.encoding();
    if (spanId && encoding) this.store.dispatch(ProofActions.provePressed({ spanId, encoding, request }));
  }
  protected cancelJob(jobId: string): void {
    this.store.dispatch(PressActions.jobCancelled({ jobId }));
  }
  protected showPanes(pane: 'stage' | 'sheet'): void {
    this.panes.update((now) => (now === pane ? 'both' : pane));
  }
  protected openShortcuts(): void {
    this.shortcuts().open();
  }

  protected key(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName) || event.altKey) return;
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey) {
      if (key !== 'z') return;
      event.preventDefault();
      if (event.shiftKey) this.redo();
      else this.undo();
      return;
    }
    const step = STEPS[Number(key) - 1] as Step | undefined;
    if (step) this.go(step);
    else if (key === 's') this.showPanes('stage');
    else if (key === 'l') this.showPanes('sheet');
    else if (key === 'g') this.gaugeOpen.update((open) => !open);
    else if (key === '?') this.openShortcuts();
  }
}

function readLayout(): { panes: Panes; gauge: boolean } {
  try {
    const saved = JSON.parse(localStorage.getItem(LAYOUT_KEY) ?? '{}') as { panes?: string; gauge?: boolean };
    return { panes: saved.panes === 'stage' || saved.panes === 'sheet' ? saved.panes : 'both', gauge: saved.gauge ?? true };
  } catch {
    return { panes: 'both', gauge: true };
  }
}
