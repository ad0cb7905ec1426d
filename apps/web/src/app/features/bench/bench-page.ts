import { displaces } from '@estampe/core';
import type { ElementRef } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { DeliverRequest, EncodingSettings, MeasureRecipe, MeasureRequest, Uploaded, WorstPlaceInfo } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { AngularSplitModule } from 'angular-split';
import * as z from 'zod';
import { Gauge } from '../../gauge/gauge';
import { SweepChart } from '../../gauge/sweep-chart';
import { Ladder } from '../../ladder/ladder';
import { unitOf } from '../../shared/kinds';
import { PressPanel } from '../../shared/press-panel';
import { remember, remembered } from '../../shared/remembered';
import { Room } from '../../shared/room';
import type { Shot } from '../../shared/tolerance';
import { toleranceLength } from '../../shared/tolerance';
import { ShortcutsPanel } from '../../shared/shortcuts-panel';
import { Sheet } from '../../sheet/sheet';
import type { StageSource } from '../../stage/stage-view';
import { Stage } from '../../stage/stage';
import { assetsFeature, BenchPage as PageActions } from '../../state/assets.state';
import {
  benchFeature,
  CalibrateCard as CalibrateActions,
  DeliverCard as DeliverActions,
  Ladder as LadderActions,
  MapsCard as MapsActions,
  ProofCard as ProofActions,
  SculptCard as SculptActions,
} from '../../state/bench.state';
import type { ProofDraft } from '../../state/bench.state';
import { PressPanel as PressActions, pressFeature } from '../../state/press.state';
import { RecipeBar as RecipeActions, recipesFeature } from '../../state/recipes.state';
import { CalibrateCard } from '../calibrate/calibrate-card';
import { DeliverCard } from '../deliver/deliver-card';
import { DeliveryPane } from '../deliver/delivery-pane';
import { MapsCard } from '../maps/maps-card';
import { ProofCard } from '../proof/proof-card';
import { measureRequest } from '../maps/measure-request';
import { proveRequest } from '../proof/prove-request';
import { SculptCard } from '../sculpt/sculpt-card';

const STEPS = ['sculpt', 'maps', 'calibrate', 'proof', 'deliver'] as const;
type Step = (typeof STEPS)[number];
type Panes = z.infer<typeof layoutSchema>['panes'];
const LAYOUT_KEY = 'estampe.layout';
const layoutSchema = z.object({ panes: z.enum(['both', 'stage', 'sheet']), gauge: z.boolean() });
const FIRST_LAYOUT = { panes: 'both', gauge: true } as const;
/** A sculpt above this many faces is shown by the rung below it while there is one. */
const SHOWN_FACES = 700_000;
const COARSE_FACES = 24_000;
/** Texels are laid on the finest rung below this many faces. */
const SHEETED_FACES = 120_000;

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
    SweepChart,
    DeliverCard,
    DeliveryPane,
    SculptCard,
    MapsCard,
    CalibrateCard,
    ProofCard,
  ],
  host: { '(document:keydown)': 'key($event)', '(document:keyup)': 'keyUp($event)', '(window:blur)': 'stage()?.stopFlicker()' },
  templateUrl: './bench-page.html',
  styleUrl: './bench-page.scss',
})
export class BenchPage {
  readonly assetId = input.required<string>();
  readonly step = input.required<string>();
  /** From the address; the first part where it names none. */
  readonly part = input<string>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly room = inject(Room);
  private readonly shortcuts = viewChild.required(ShortcutsPanel);
  protected readonly stage = viewChild(Stage);
  private readonly card = viewChild<ElementRef<HTMLElement>>('card');

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

  protected readonly recipes = this.store.selectSignal(recipesFeature.selectRecipes);
  protected readonly recipeMessage = this.store.selectSignal(recipesFeature.selectMessage);

  protected readonly panes = signal<Panes>(remembered(LAYOUT_KEY, layoutSchema, FIRST_LAYOUT).panes);
  protected readonly gaugeOpen = signal(remembered(LAYOUT_KEY, layoutSchema, FIRST_LAYOUT).gauge);
  private readonly shownDelivery = signal<string | null>(null);
  private readonly comparedDelivery = signal<string | null>(null);
  /** The version that is open: the chosen one, else the newest. */
  protected readonly delivery = computed(() => {
    const all = this.asset()?.deliveries ?? [];
    return all.find((d) => d.id === this.shownDelivery()) ?? all.at(0) ?? null;
  });
  protected readonly compared = computed(() => {
    const found = this.asset()?.deliveries.find((d) => d.id === this.comparedDelivery()) ?? null;
    return found?.id === this.delivery()?.id ? null : found;
  });
  protected readonly tolerance = computed(() => toleranceLength(this.draft().tolerance, this.asset()?.diagonal ?? 1));
  protected readonly sweepHint = computed(() =>
    this.proof() === null
      ? 'Prove the map; then a closer look sweeps over the render subdivisions.'
      : !displaces(this.proof()?.proof.outcome.kind ?? '')
        ? 'Nothing moves by this map, so it does not depend on the render subdivisions.'
        : 'Press Look closer in the card to see how the error falls with the render subdivisions.',
  );
  protected readonly current = computed<Step>(() => STEPS.find((s) => s === this.step()) ?? 'maps');
  protected readonly fields = computed(() => this.span()?.fields ?? []);
  /** Unit of the values of the chosen map. */
  protected readonly valueUnit = computed(() => unitOf(this.span()?.settings.kind ?? 'scalar', this.asset()?.unit ?? ''));

  protected readonly tabs = computed<TabState[]>(() => {
    const ready = this.fields().length > 0;
    const old = this.span()?.outOfDate ?? false;
    const proof = this.proof();
    const asset = this.asset();
    const proven = asset?.spans.some((s) => s.proofs.length > 0 && !s.outOfDate) ?? false;
    const broken = asset?.findings.some((f) => f.severity === 'error') ?? false;
    const tab = (step: Step, label: string, mark: TabState['mark'], hint: string): TabState => ({ step, label, mark, hint });
    return [
      tab('sculpt', 'Sculpt', broken ? 'needs' : 'ready', broken ? 'needs mending: see the findings' : 'ready'),
      old
        ? tab('maps', 'Maps', 'old', 'out of date: the light mesh changed')
        : tab('maps', 'Maps', ready ? 'ready' : 'needs', ready ? 'ready' : 'needs a span that is extracted'),
      tab('calibrate', 'Calibrate', ready ? 'ready' : 'needs', ready ? 'ready' : 'needs an extracted span'),
      tab(
        'proof',
        'Proof',
        proof === null ? 'needs' : proof.current ? 'ready' : 'old',
        proof === null ? 'needs a proof' : proof.current ? 'ready' : 'out of date: encoding or mesh changed',
      ),
      tab('deliver', 'Deliver', proven ? 'ready' : 'needs', proven ? 'ready' : 'needs a proven map'),
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
      const from = span?.settings.fromLevel ?? 0;
      // rungs below the top always have UVs
      const sheeted = asset.stackKind === 'stack' ? levels.filter((l) => l.level < levels.length - 1 && l.faces <= SHEETED_FACES) : [];
      return {
        sheetedMeshId: (sheeted.at(-1) ?? levels[from]).meshId,
        fields: (span?.fields ?? []).map(({ id, tile }) => ({ id, tile })),
        encoding: this.encoding(),
        diagonal: asset.diagonal,
        lowMeshId: levels[from].meshId,
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
    effect(() => this.store.dispatch(PageActions.opened({ assetId: this.assetId(), partId: this.part() ?? null })));
    this.store.dispatch(RecipeActions.shown());
    effect(() => {
      // a card is read from its top, whichever was read before
      this.current();
      const card = this.card()?.nativeElement;
      if (card) card.scrollTop = 0;
    });
    effect(() => remember(LAYOUT_KEY, { panes: this.panes(), gauge: this.gaugeOpen() }));
    effect(() => {
      // lights belong to the step that put them on
      this.step();
      this.stage()?.clearPlaces();
    });
  }

  protected go(step: Step): void {
    void this.router.navigate(['/assets', this.assetId(), step], { queryParamsHandling: 'preserve' });
  }
  protected drawSpan(span: { fromLevel: number; toLevel: number }): void {
    this.store.dispatch(LadderActions.spanDrawn(span));
    this.go('maps');
  }
  protected chooseSpan(spanId: string): void {
    this.store.dispatch(LadderActions.spanChosen({ spanId }));
  }
  protected changeSettings(change: Partial<MeasureRequest>): void {
    this.store.dispatch(MapsActions.settingsChanged({ change }));
  }
  protected saveRecipe(recipe: MeasureRecipe): void {
    this.store.dispatch(RecipeActions.recipeSaved({ recipe }));
  }
  protected removeRecipe(recipeId: string): void {
    this.store.dispatch(RecipeActions.recipeRemoved({ recipeId }));
  }
  protected changeShot(shot: Shot): void {
    this.changeDraft({ tolerance: { ...this.draft().tolerance, shot } });
  }
  protected choosePart(event: Event): void {
    const part = (event.target as HTMLSelectElement).value;
    void this.router.navigate(['/assets', this.assetId(), this.current()], { queryParams: { part } });
  }
  /** @param others parts that are measured in the same go, each by its own recipe */
  protected extract(others: readonly string[]): void {
    const asset = this.asset();
    if (asset === null) return;
    const settings = this.settings();
    const passes = asset.parts
      .filter((part) => others.includes(part.id))
      .map((part) => ({ partId: part.id, settings: part.recipe ?? measureRequest(settings, part.tiles) }));
    const own = { partId: asset.part.id, settings: measureRequest(settings, asset.tiles) };
    this.store.dispatch(MapsActions.extractPressed({ assetId: asset.id, passes: [...passes, own] }));
  }
  protected copyRecipe(partIds: readonly string[]): void {
    this.store.dispatch(MapsActions.recipeCopied({ partIds, recipe: measureRequest(this.settings(), this.asset()?.tiles ?? []) }));
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
  protected takeTheirs(): void {
    this.store.dispatch(CalibrateActions.theirsTaken());
  }
  protected keepOurs(): void {
    this.store.dispatch(CalibrateActions.oursKept());
  }
  protected showMarks(): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.view.set('marks');
  }
  protected lightFaces(faces: readonly number[]): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.showFaces(faces);
  }
  protected visit(place: WorstPlaceInfo): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.visit(place);
  }
  protected study(proofId: string): void {
    this.store.dispatch(ProofActions.studyPressed({ proofId }));
  }
  protected deliver(request: DeliverRequest): void {
    this.shownDelivery.set(null);
    this.comparedDelivery.set(null);
    const asset = this.asset();
    if (asset) this.store.dispatch(DeliverActions.deliverPressed({ assetId: asset.id, partId: asset.part.id, request }));
  }
  protected showDelivery(id: string): void {
    this.comparedDelivery.set(null);
    this.shownDelivery.set(id);
  }
  protected compareDelivery(id: string): void {
    this.comparedDelivery.update((now) => (now === id ? null : id));
  }
  protected lowAgain({ hash, name }: Uploaded): void {
    const asset = this.asset();
    if (asset) this.store.dispatch(SculptActions.lowBroughtIn({ assetId: asset.id, partId: asset.part.id, hash, name }));
  }
  protected changeDraft(change: Partial<ProofDraft>): void {
    this.store.dispatch(ProofActions.requestChanged({ change }));
  }
  protected prove(): void {
    const [span, asset, encoding] = [this.span(), this.asset(), this.encoding()];
    if (!span || !asset || !encoding) return;
    const request = proveRequest(this.draft(), span.settings, asset.stackKind === 'stack', asset.diagonal);
    this.store.dispatch(ProofActions.provePressed({ spanId: span.id, encoding, request }));
  }
  protected cancelJob(jobId: string): void {
    this.store.dispatch(PressActions.jobChanged({ jobId, change: 'cancel' }));
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
    const stage = this.stage();
    const actions: Partial<Record<string, () => void>> = {
      s: () => this.showPanes('stage'),
      l: () => this.showPanes('sheet'),
      g: () => this.gaugeOpen.update((open) => !open),
      r: () => this.room.change(),
      w: () => stage?.wiping.update((on) => !on),
      x: () => stage?.exchange(),
      f: () => stage?.startFlicker(),
      h: () => stage?.contours.update((on) => !on),
      m: () => this.showMarks(),
      n: () => this.chooseNext(1),
      p: () => this.chooseNext(-1),
      '?': () => this.openShortcuts(),
    };
    if (step) this.go(step);
    else actions[key]?.();
  }
  protected keyUp(event: KeyboardEvent): void {
    if (event.key.toLowerCase() === 'f') this.stage()?.stopFlicker();
  }
  private chooseNext(by: number): void {
    const spans = this.asset()?.spans ?? [];
    const at = spans.findIndex((s) => s.id === this.spanId());
    if (spans.length > 0) this.chooseSpan(spans[(at + by + spans.length) % spans.length].id);
  }
}
