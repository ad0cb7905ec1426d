import type { ElementRef } from '@angular/core';
import { NgComponentOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  forwardRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatTabsModule } from '@angular/material/tabs';
import { MatTooltipModule } from '@angular/material/tooltip';
import { Router, RouterLink } from '@angular/router';
import type { AssetDetail, ChangeRow, WorstPlaceInfo } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { AngularSplitModule } from 'angular-split';
import * as z from 'zod';
import { Bench } from '../../shared/bench';
import { Ladder } from '../../ladder/ladder';
import { LevelBrushing } from '../../shared/level-brushing';
import { PressPanel } from '../../shared/press-panel';
import { remember, remembered } from '../../shared/remembered';
import { SeamPicking } from '../../shared/seam-picking';
import { Room } from '../../shared/room';
import { RowMenu } from '../../shared/row-menu';
import { ShortcutsPanel } from '../../shared/shortcuts-panel';
import { Sheet } from '../../sheet/sheet';
import type { StageSource } from '../../stage/stage-view';
import { coarserOf, SHOWN_FACES } from '../../stage/stage-view';
import { Stage } from '../../stage/stage';
import { assetsFeature, BenchPage as PageActions, RowMenu as RowActions } from '../../state/assets.state';
import { CalibrateCard as CalibrateActions, Ladder as LadderActions, SheetCard as SheetActions } from '../../state/bench-actions';
import { calibrateFeature } from '../../state/calibrate.state';
import { openPart, stateAfter, stateBefore } from '../../state/low-states';
import { mapsFeature } from '../../state/maps.state';
import { proofFeature } from '../../state/proof.state';
import { PressPanel as PressActions, pressFeature } from '../../state/press.state';
import { RecipeBar as RecipeActions } from '../../state/recipes.state';
import { VersionsShown } from '../deliver/versions-shown';
import type { Step, StepName } from './steps';
import { STEP_NAMES, STEPS } from './steps';

type Panes = z.infer<typeof layoutSchema>['panes'];
const LAYOUT_KEY = 'estampe.layout';
const layoutSchema = z.object({ panes: z.enum(['both', 'stage', 'sheet']), gauge: z.boolean() });
const FIRST_LAYOUT = { panes: 'both', gauge: true } as const;
const COARSE_FACES = 24_000;
/** Texels are laid on the finest rung below this many faces. */
const SHEETED_FACES = 120_000;
/** Steps that change meshes, and take changes back. */
const EDITS_MESHES: ReadonlySet<StepName> = new Set<StepName>(['sculpt', 'levels', 'sheet']);
/** Keys pressed there are for what stands in them. */
const TYPED_INTO = /^(INPUT|SELECT|TEXTAREA)$/;

/** One asset open: Ladder, Stage and Sheet, and what the step puts beside and under them. */
@Component({
  selector: 'est-bench-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    NgComponentOutlet,
    AngularSplitModule,
    MatButtonModule,
    MatButtonToggleModule,
    MatIconModule,
    MatMenuModule,
    MatTabsModule,
    MatTooltipModule,
    PressPanel,
    RowMenu,
    Ladder,
    Stage,
    Sheet,
  ],
  providers: [{ provide: Bench, useExisting: forwardRef(() => BenchPage) }, VersionsShown],
  host: { '(document:keydown)': 'key($event)', '(document:keyup)': 'keyUp($event)', '(window:blur)': 'stage()?.stopFlicker()' },
  templateUrl: './bench-page.html',
  styleUrl: './bench-page.scss',
})
export class BenchPage implements Bench {
  readonly assetId = input.required<string>();
  readonly step = input.required<string>();
  /** From the address; the first part where it names none. */
  readonly part = input<string>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly room = inject(Room);
  private readonly picking = inject(SeamPicking);
  private readonly brushing = inject(LevelBrushing);
  private readonly dialogs = inject(MatDialog);
  protected readonly stage = viewChild(Stage);
  private readonly card = viewChild<ElementRef<HTMLElement>>('card');

  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly loadMessage = this.store.selectSignal(assetsFeature.selectMessage);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly span = this.store.selectSignal(mapsFeature.selectSpan);
  protected readonly spanId = this.store.selectSignal(mapsFeature.selectSpanId);
  protected readonly encoding = this.store.selectSignal(calibrateFeature.selectEncoding);
  protected readonly proof = this.store.selectSignal(proofFeature.selectProof);
  protected readonly panes = signal<Panes>(remembered(LAYOUT_KEY, layoutSchema, FIRST_LAYOUT).panes);
  protected readonly gaugeOpen = signal(remembered(LAYOUT_KEY, layoutSchema, FIRST_LAYOUT).gauge);
  protected readonly current = computed<StepName>(() => STEP_NAMES.find((s) => s === this.step()) ?? 'maps');
  protected readonly shown = computed<Step>(() => STEPS[this.current()]);
  protected readonly panesShown = computed(() => (this.panes() === 'both' ? ['stage', 'sheet'] : [this.panes()]));
  protected readonly fields = computed(() => this.span()?.fields ?? []);

  protected readonly tabs = computed(() => {
    const state = { asset: this.asset(), span: this.span(), proof: this.proof() };
    return STEP_NAMES.map((step) => ({ step, label: STEPS[step].label, ...STEPS[step].mark(state) }));
  });

  /** The level that the span starts from; the light mesh where that level has gone. */
  private readonly from = computed(() => {
    const levels = this.asset()?.levelList ?? [];
    return levels.at(this.span()?.settings.fromLevel ?? 0) ?? levels[0];
  });
  protected readonly lowMeshId = computed(() => this.from().meshId);

  protected readonly stageSource = computed<StageSource | null>(
    () => {
      const asset = this.asset();
      if (!asset) return null;
      const span = this.span();
      const levels = asset.levelList;
      const to = this.current() === 'levels' ? levels.length - 1 : (span?.settings.toLevel ?? levels.length - 1);
      let shown = levels[Math.min(to, levels.length - 1)];
      if (asset.stackKind === 'stack') while (shown.faces > SHOWN_FACES && shown.level > 1) shown = levels[shown.level - 1];
      const coarse =
        asset.stackKind === 'stack' && shown.faces > COARSE_FACES
          ? ([...levels].reverse().find((l) => l.faces <= COARSE_FACES) ?? null)
          : null;
      const from = this.from();
      const proof = this.proof()?.proof ?? null;
      // rungs below the top always have UVs
      const sheeted = asset.stackKind === 'stack' ? levels.filter((l) => l.level < levels.length - 1 && l.faces <= SHEETED_FACES) : [];
      return {
        sheetedMeshId: (sheeted.at(-1) ?? from).meshId,
        fields: (span?.fields ?? []).map(({ id, tile, bytes, missed, doubtful, mended, ends }) => ({
          id,
          tile,
          bytes,
          missed,
          doubtful,
          mended,
          ends,
        })),
        encoding: this.encoding(),
        diagonal: asset.diagonal,
        lowMeshId: from.meshId,
        sculptMeshId: shown.meshId,
        sculptLabel: { free: 'sculpt', alone: 'the mesh', stack: `sculpt, level ${shown.level}` }[asset.stackKind],
        up: asset.up,
        coarseMeshId: coarse?.meshId ?? null,
        coarseLabel: coarse === null ? '' : `sculpt, level ${coarse.level}`,
        proof,
        proofCoarser: coarserOf(proof, from.faces),
        unit: asset.unit,
      };
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );

  protected readonly shownLevel = computed(() => {
    const meshId = this.stageSource()?.sculptMeshId;
    return this.shown().pane === null ? (this.asset()?.levelList.find((l) => l.meshId === meshId)?.level ?? null) : null;
  });
  protected readonly pixels = this.store.selectSignal(proofFeature.selectPixelsPerUnit);

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
    let known: { readonly spanId: string | null; readonly proofId: string | null } | null = null;
    effect(() => {
      // a proof that comes while its span is open is what one wants to see
      const proof = this.proof()?.proof ?? null;
      const now = { spanId: this.spanId(), proofId: proof?.id ?? null };
      if (proof !== null && known !== null && known.spanId === now.spanId && known.proofId !== proof.id)
        untracked(() => this.stage()?.showProof(proof));
      if (this.asset() !== null) known = now;
    });
    effect(() => {
      // lights belong to the step that put them on
      this.step();
      this.stage()?.clearPlaces();
    });
  }

  go(step: string): void {
    void this.router.navigate(['/assets', this.assetId(), step], { queryParamsHandling: 'preserve' });
  }
  protected drawSpan(span: { fromLevel: number; toLevel: number }): void {
    this.store.dispatch(LadderActions.spanDrawn(span));
    this.go('maps');
  }
  protected chooseSpan(spanId: string): void {
    const span = this.asset()?.spans.find((s) => s.id === spanId);
    if (span) this.store.dispatch(LadderActions.spanChosen({ span }));
  }
  protected changeAsset({ id, name }: AssetDetail, change: ChangeRow): void {
    this.store.dispatch(RowActions.changeWanted({ target: 'asset', id, name, change, undoes: false }));
    if (change.removed === true) void this.router.navigate(['/']);
  }
  protected changePart({ part: { id, name }, parts }: AssetDetail, change: ChangeRow): void {
    if (change.removed === true) this.choosePart(parts.find((p) => p.id !== id)?.id ?? null);
    this.store.dispatch(RowActions.changeWanted({ target: 'part', id, name, change, undoes: false }));
  }
  choosePart(part: string | null): void {
    void this.router.navigate(['/assets', this.assetId(), this.current()], { queryParams: { part } });
  }
  showMarks(): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.view.set('marks');
  }
  /** Findings are of level 0; the Sheet shows the level that the span starts from. */
  protected readonly litOnSheet = computed(() => ((this.span()?.settings.fromLevel ?? 0) === 0 ? (this.stage()?.lit() ?? []) : []));
  lightFaces(faces: readonly number[], level?: number): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.showFaces(faces, level !== undefined && level > 0);
  }
  visit(place: WorstPlaceInfo): void {
    if (this.panes() === 'sheet') this.panes.set('both');
    this.stage()?.visit(place);
  }
  cancelJob(jobId: string): void {
    this.store.dispatch(PressActions.jobChanged({ jobId, change: 'cancel' }));
  }
  protected showPanes(pane: 'stage' | 'sheet'): void {
    this.panes.update((now) => (now === pane ? 'both' : pane));
  }
  protected openShortcuts(): void {
    this.dialogs.open(ShortcutsPanel).componentRef?.setInput('steps', STEP_NAMES.map((name) => STEPS[name].label)); // prettier-ignore
  }

  protected key(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (TYPED_INTO.test(target.tagName) || target.role === 'combobox' || target.closest('.cdk-overlay-container') || event.altKey) return;
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey) {
      if (key !== 'z') return;
      event.preventDefault();
      if (EDITS_MESHES.has(this.current())) {
        // a pick or a stroke is the last thing that was done
        if (!event.shiftKey && this.picking.canUndo()) this.picking.undo();
        else if (!event.shiftKey && this.brushing.strokes().length > 0) this.brushing.undo();
        else this.moveState(event.shiftKey);
        return;
      }
      const spanId = this.spanId();
      if (spanId === null) return;
      this.store.dispatch(event.shiftKey ? CalibrateActions.redoPressed({ spanId }) : CalibrateActions.undoPressed({ spanId }));
      return;
    }
    const step = STEP_NAMES[Number(key) - 1] as StepName | undefined;
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
  /** Undo or redo of the light mesh. */
  private moveState(forth: boolean): void {
    const asset = this.asset();
    const part = asset ? openPart(asset) : undefined;
    const state = part === undefined ? null : forth ? stateAfter(part) : stateBefore(part);
    if (part !== undefined && state !== null) this.store.dispatch(SheetActions.stateChosen({ partId: part.id, place: state.place }));
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
