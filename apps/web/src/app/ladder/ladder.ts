import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal } from '@angular/core';
import type { AssetDetail, JobInfo, SpanInfo, TransferFiguresInfo } from '@estampe/contracts';
import { count, percent, significant } from '../shared/format';
import { KIND_DASHES, KIND_LETTERS, KIND_NAMES } from '../shared/kinds';

interface Rung {
  readonly level: number;
  readonly y: number;
  readonly faces: string;
  readonly detail: string;
  readonly bar: number;
  /** How it came onto a free sculpt, line by line; none where it did not. */
  readonly put: readonly string[];
  /** Whether there is something to look at. */
  readonly poor: boolean;
}
interface Bracket {
  readonly span: SpanInfo;
  readonly x: number;
  readonly top: number;
  readonly bottom: number;
  readonly mark: number;
  readonly letter: string;
  /** Its line on the Ladder. */
  readonly dashes: string;
  readonly foot: string;
  readonly label: string;
}

const TOP = 44;
const BOTTOM = 44;
const MAX_BRACKETS = 8;

/** The levels as a vertical scale, spans as brackets at its side. Drag from rung to rung, or with the keyboard: choose a rung, then
 *  another, to draw a span. */
@Component({
  selector: 'est-ladder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(window:resize)': 'measure()', '(pointerup)': 'drop($event)', '(pointermove)': 'drag($event)' },
  template: `
    <h2>Ladder</h2>
    <svg [attr.viewBox]="'0 0 208 ' + height()" [attr.height]="height()" width="208" role="group" aria-label="Levels of the sculpt">
      <line x1="66" [attr.y1]="rungs()[0]?.y" x2="66" [attr.y2]="rungs()[rungs().length - 1]?.y" class="pole" />
      @for (rung of rungs(); track rung.level) {
        <g
          class="rung"
          role="button"
          tabindex="0"
          [class.start]="start() === rung.level"
          [attr.aria-label]="
            'Level ' +
            rung.level +
            ', ' +
            rung.faces +
            ' faces' +
            (rung.detail ? ', adds ' + rung.detail : '') +
            (rung.put.length > 0 ? ', ' + rung.put.join(', ') : '') +
            (rung.level === shown() ? ', on the Stage' : '')
          "
          (pointerdown)="lift(rung.level, $event)"
          (keydown.enter)="press(rung.level)"
          (keydown.space)="press(rung.level); $event.preventDefault()"
        >
          <rect x="44" [attr.y]="rung.y - 18" width="160" height="40" class="grip" />
          <rect x="54" [attr.y]="rung.y - 11" width="24" height="22" class="gap" />
          <text x="66" [attr.y]="rung.y + 6" class="level" [class.shown]="rung.level === shown()">{{ rung.level }}</text>
          <line x1="80" [attr.y1]="rung.y" x2="198" [attr.y2]="rung.y" class="step" />
          <text x="198" [attr.y]="rung.y - 5" class="faces">{{ rung.faces }}</text>
          @if (rung.bar > 0) {
            <rect x="82" [attr.y]="rung.y + 2" [attr.width]="rung.bar" height="3" class="bar" />
          }
          <text x="198" [attr.y]="rung.y + 15" class="detail">{{ rung.detail || (rung.level === 0 ? 'light mesh' : '') }}</text>
          @for (line of rung.put; track $index) {
            <text x="198" [attr.y]="rung.y + 29 + 14 * $index" class="detail" [class.poor]="rung.poor">{{ line }}</text>
          }
        </g>
      }
      @for (b of brackets(); track b.span.id) {
        <g
          class="bracket"
          role="button"
          tabindex="0"
          [class.chosen]="b.span.id === chosenId()"
          [class.old]="b.span.outOfDate"
          [attr.aria-label]="b.label"
          (click)="choose.emit(b.span.id)"
          (keydown.enter)="choose.emit(b.span.id)"
        >
          <path class="hit" [attr.d]="'M ' + b.x + ' ' + b.top + ' V ' + b.bottom" />
          <path [attr.stroke-dasharray]="b.dashes" [attr.d]="'M ' + 50 + ' ' + b.top + ' H ' + b.x + ' V ' + b.bottom + ' H ' + 50" />
          <rect [attr.x]="b.x - 7" [attr.y]="b.mark - 9" width="14" height="18" />
          <text [attr.x]="b.x" [attr.y]="b.mark + 4">{{ b.letter }}</text>
        </g>
      }
      @if (draft(); as d) {
        <path class="draft" [attr.d]="'M 50 ' + d.top + ' H 40 V ' + d.bottom + ' H 50'" />
      }
    </svg>
    <p class="foot">{{ foot() }}</p>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-rows: 34px 1fr auto;
      background: var(--paper);
      border-right: 1px solid var(--ink);
      min-height: 0;
      user-select: none;
      touch-action: none;
    }
    h2 {
      font-size: 15px;
      padding: 10px 14px 0;
    }
    .pole {
      stroke: var(--ink);
      stroke-width: 2;
    }
    .gap {
      fill: var(--paper);
    }
    .grip {
      fill: transparent;
    }
    .rung {
      cursor: ns-resize;
    }
    .rung:hover .step,
    .rung.start .step {
      stroke: var(--prussian);
      stroke-width: 2;
    }
    .rung:focus-visible,
    .bracket:focus-visible {
      outline: 2px solid var(--prussian);
    }
    .level {
      font: 500 20px var(--serif);
      text-anchor: middle;
      fill: var(--ink);
    }
    .step {
      stroke: var(--ink);
    }
    .faces {
      font: 12px var(--mono);
      text-anchor: end;
      fill: var(--ink);
    }
    .detail {
      font: 11.5px var(--mono);
      text-anchor: end;
      fill: var(--graphite);
    }
    .level.shown {
      fill: var(--prussian);
      text-decoration: underline;
    }
    .detail.poor {
      fill: var(--madder);
    }
    .bar {
      fill: var(--ink);
    }
    .bracket {
      cursor: pointer;
    }
    .bracket path {
      fill: none;
      stroke: var(--graphite);
      stroke-width: 1.5;
    }
    .bracket .hit {
      stroke: transparent;
      stroke-width: 8;
      pointer-events: stroke;
    }
    .bracket rect {
      fill: var(--paper);
      stroke: var(--graphite);
    }
    .bracket text {
      font: 600 11px var(--mono);
      text-anchor: middle;
      fill: var(--ink);
    }
    .bracket.old rect {
      stroke: var(--ochre);
      stroke-width: 2;
    }
    .bracket.chosen path:not(.hit) {
      stroke: var(--prussian);
      stroke-width: 3;
    }
    .bracket.chosen rect {
      fill: var(--prussian);
      stroke: var(--prussian);
    }
    .bracket.chosen text {
      fill: var(--leaf);
    }
    .draft {
      fill: none;
      stroke: var(--ochre);
      stroke-width: 2;
      stroke-dasharray: 4 3;
    }
    .foot {
      margin: 0;
      padding: 6px 14px 10px;
      color: var(--graphite);
      min-height: 52px;
    }
  `,
})
export class Ladder {
  readonly asset = input.required<AssetDetail>();
  readonly chosenId = input<string | null>(null);
  readonly jobs = input<readonly JobInfo[]>([]);
  /** The level that the Stage shows as the sculpt. */
  readonly shown = input<number | null>(null);
  /** Of the shot that the asset is made for. */
  readonly pixelsPerUnit = input<number | null>(null);
  readonly choose = output<string>();
  readonly draw = output<{ fromLevel: number; toLevel: number }>();

  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly height = signal(480);
  protected readonly start = signal<number | null>(null);
  private readonly over = signal<number | null>(null);

  protected readonly rungs = computed<Rung[]>(() => {
    const { levelList, unit, stackKind } = this.asset();
    const logs = levelList.map((l) => Math.log(Math.max(1, l.faces)));
    const range = Math.max(1e-9, Math.max(...logs) - Math.min(...logs));
    const most = Math.max(...levelList.map((l) => l.detail ?? 0), 1e-30);
    const room = (this.height() - TOP - BOTTOM) / Math.max(1, levelList.length - 1);
    const pixels = this.pixelsPerUnit();
    // what is very small has zeros enough to run over the pole
    const adds = (detail: number): string =>
      `${significant(detail, detail < 0.01 ? 2 : 3)} ${unit}${pixels === null ? '' : ` ${significant(detail * pixels, 2)} px`}`;
    return levelList.map((l, i) => ({
      level: l.level,
      y: this.height() - BOTTOM - ((logs[i] - Math.min(...logs)) / range) * (this.height() - TOP - BOTTOM),
      faces: count(l.faces),
      detail:
        l.detail === null
          ? stackKind === 'alone'
            ? 'one mesh'
            : l.level > 0 && stackKind === 'free'
              ? 'free sculpt'
              : ''
          : adds(l.detail),
      bar: l.detail === null ? 0 : Math.max(1, (BAR * l.detail) / most),
      put: l.transfer === undefined || room < ROOM_FOR_ALL ? [] : putWords(l.transfer),
      poor: l.transfer !== undefined && (l.transfer.folds > 0 || l.transfer.projectedShare < WELL_PROJECTED),
    }));
  });

  protected readonly brackets = computed<Bracket[]>(() => {
    const y = new Map(this.rungs().map((r) => [r.level, r.y]));
    const all = this.asset().spans;
    // the newest, and the chosen one in any case
    const spans = all.filter((s, i) => i >= all.length - MAX_BRACKETS || s.id === this.chosenId()).slice(-MAX_BRACKETS - 1);
    const found = spans.flatMap((span, i) => {
      const top = y.get(span.settings.toLevel);
      const bottom = y.get(span.settings.fromLevel);
      if (top === undefined || bottom === undefined) return [];
      const foot = this.stateOf(span);
      return [
        {
          span,
          // closer together where many share the side
          x: 42 - Math.min(8, 32 / Math.max(1, spans.length - 1)) * (spans.length - 1 - i),
          // marks of neighbours step down, so that no letter covers another
          mark: (top + bottom) / 2 - 20 * ((spans.length - 1) / 2 - i),
          letter: KIND_LETTERS[span.settings.kind],
          dashes: KIND_DASHES[span.settings.kind],
          top,
          bottom,
          foot,
          label: `${KIND_NAMES[span.settings.kind]}, level ${span.settings.fromLevel} to ${span.settings.toLevel}, ${span.settings.size} texels, ${foot}`,
        },
      ];
    });
    return apart(found);
  });
  protected readonly foot = computed(() => {
    const chosen = this.brackets().find((b) => b.span.id === this.chosenId());
    if (this.start() !== null) return 'Now the other rung.';
    return chosen
      ? `${KIND_NAMES[chosen.span.settings.kind]}, ${chosen.span.settings.fromLevel} to ${chosen.span.settings.toLevel}, ${chosen.span.settings.size} px: ${chosen.foot}`
      : this.asset().stackKind === 'alone'
        ? 'Spans are drawn between a light mesh and its sculpt: bring in the other.'
        : 'Drag from one rung to another to draw a span.';
  });
  protected readonly draft = computed(() => {
    const [a, b] = [this.start(), this.over()];
    const y = new Map(this.rungs().map((r) => [r.level, r.y]));
    if (a === null || b === null || a === b) return null;
    return { top: y.get(Math.max(a, b)), bottom: y.get(Math.min(a, b)) };
  });

  constructor() {
    queueMicrotask(() => this.measure());
    const observer = new ResizeObserver(() => this.measure());
    observer.observe(this.element.nativeElement);
  }

  protected measure(): void {
    this.height.set(Math.max(240, this.element.nativeElement.clientHeight - 34 - 62));
  }

  private stateOf(span: SpanInfo): string {
    const job = this.jobs().find((j) => j.spanId === span.id && j.kind === 'extract');
    if (job?.state === 'running' || job?.state === 'waiting' || job?.state === 'paused') return job.state;
    if (span.outOfDate) return 'out of date';
    const tiles = this.asset().tiles.length;
    if (span.fields.length > 0) return span.fields.length < tiles ? `${span.fields.length} of ${tiles} tiles` : 'ready';
    return job?.state === 'failed' ? 'failed' : 'not extracted';
  }
  private levelAt(event: PointerEvent): number | null {
    const y = event.clientY - this.element.nativeElement.getBoundingClientRect().top - 34;
    let best: Rung | null = null;
    for (const r of this.rungs()) if (best === null || Math.abs(r.y - y) < Math.abs(best.y - y)) best = r;
    return best?.level ?? null;
  }
  protected lift(level: number, event: PointerEvent): void {
    event.preventDefault();
    this.start.set(level);
    this.over.set(level);
  }
  protected drag(event: PointerEvent): void {
    if (this.start() !== null && event.buttons > 0) this.over.set(this.levelAt(event));
  }
  protected drop(event: PointerEvent): void {
    const from = this.start();
    const to = this.levelAt(event);
    if (from === null || to === null || from === to) {
      if (from !== null) this.start.set(null);
      return;
    }
    this.finish(from, to);
  }
  protected press(level: number): void {
    const from = this.start();
    if (from === null) this.start.set(level);
    else if (from === level) this.start.set(null);
    else this.finish(from, level);
  }
  private finish(a: number, b: number): void {
    this.start.set(null);
    this.over.set(null);
    this.draw.emit({ fromLevel: Math.min(a, b), toLevel: Math.max(a, b) });
  }
}

/** Longest bar of what a level adds. */
const BAR = 60;
/** Between rungs, for all lines at each. */
const ROOM_FOR_ALL = 68;
const WELL_PROJECTED = 0.99;
const putWords = ({ projectedShare, rms, folds, seconds }: TransferFiguresInfo): readonly string[] => [
  `${percent(projectedShare, 3)} off ${significant(rms, 2)}`,
  `${folds} ${folds === 1 ? 'fold' : 'folds'} ${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`,
];

const MARK_HEIGHT = 20;
/** Brackets whose letters would cover each other, moved apart: as little as it takes, and about where they were. */
function apart(brackets: readonly Bracket[]): Bracket[] {
  const order = [...brackets].sort((a, b) => a.mark - b.mark);
  const marks = order.map((b) => b.mark);
  for (let k = 1; k < marks.length; k++) marks[k] = Math.max(marks[k], marks[k - 1] + MARK_HEIGHT);
  const moved = marks.reduce((sum, mark, k) => sum + mark - order[k].mark, 0) / Math.max(1, marks.length);
  const at = new Map(order.map((b, k) => [b, marks[k] - moved]));
  return brackets.map((b) => ({ ...b, mark: at.get(b) ?? b.mark }));
}
