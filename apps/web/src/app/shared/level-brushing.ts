import { inject, Injectable, signal } from '@angular/core';
import type { AssetDetail, GroupsInfo, StrokeRequest } from '@estampe/contracts';
import { addressOf, MAX_STROKE_POINTS, ROUTES } from '@estampe/contracts';
import type { BrushTool } from '@estampe/core';
import type { BrushQuestion, Change, OpenedLevel } from '../workers/brush-messages';
import type { DrawnMesh } from '../workers/mesh-messages';
import { WorkerCalls } from '../workers/worker-calls';
import { BRUSH_WORKER } from '../workers/worker-tokens';

/** How a stroke is made. */
export interface BrushSettings {
  readonly tool: BrushTool;
  /** Scene units. */
  readonly radius: number;
  /** 0 to 1. */
  readonly strength: number;
  /** Pushing inwards. */
  readonly inwards: boolean;
}
/** A first radius, in edges of the level. */
const FIRST_RADIUS_EDGES = 6;

interface Open {
  readonly meshId: string;
  /** Changed in its place by strokes. */
  readonly mesh: DrawnMesh;
  readonly groups: readonly string[];
}

/** The finest level of a stack while it is under the brush in the step Levels: a worker does the strokes, the Stage shows them, and what is kept
 *  goes to the server as strokes, which gives the same. */
@Injectable({ providedIn: 'root' })
export class LevelBrushing {
  private readonly calls = new WorkerCalls(inject(BRUSH_WORKER), () => this.lost());
  readonly level = signal<Open | null>(null);
  readonly settings = signal<BrushSettings>({ tool: 'smooth', radius: 1, strength: 0.5, inwards: false });
  /** Done and not kept yet. */
  readonly strokes = signal<readonly StrokeRequest[]>([]);
  /** Counts what was changed, for who draws it. */
  readonly turn = signal(0);
  readonly busy = signal(false);
  readonly message = signal<string | null>(null);
  private wanted = '';
  /** Points that the brush came over while the worker was busy. */
  private waiting: number[] = [];
  private lastPoint = -1;
  /** The part that the radius was chosen for. */
  private sizedFor = '';

  /** Takes the finest level of a part up. @param groups of its light mesh, where they were made here */
  async open(
    { levelList, sculptHash, part }: Pick<AssetDetail, 'levelList' | 'sculptHash' | 'part'>,
    groups: GroupsInfo | null,
  ): Promise<void> {
    const { meshId } = levelList[levelList.length - 1];
    this.close();
    this.wanted = meshId;
    this.busy.set(true);
    const url = (id: string): string => addressOf(ROUTES.meshData, { id });
    const sculptUrl = sculptHash === null ? null : addressOf(ROUTES.blob, { hash: sculptHash });
    try {
      const question: BrushQuestion = { ask: 'open', url: url(meshId), lightUrl: url(levelList[0].meshId), groups, sculptUrl };
      const { opened } = await this.calls.ask<{ opened: OpenedLevel }>(question);
      if (this.wanted !== meshId) return;
      if (this.sizedFor !== part.id)
        this.settings.update((s) => ({ ...s, radius: Number((FIRST_RADIUS_EDGES * opened.edge).toPrecision(2)) }));
      this.sizedFor = part.id;
      this.level.set({ meshId, mesh: opened.mesh, groups: opened.groups });
    } catch (error) {
      this.say(error);
    } finally {
      this.busy.set(false);
    }
  }
  close(): void {
    this.wanted = '';
    this.level.set(null);
    this.strokes.set([]);
    this.message.set(null);
    this.waiting = [];
  }

  /** Begins a stroke at a point, or carries it on. */
  over(point: number, goesOn: boolean): void {
    if (goesOn && point === this.lastPoint) return;
    this.lastPoint = point;
    if (this.strokes().reduce((n, s) => n + s.points.length, 0) >= MAX_STROKE_POINTS) {
      this.message.set('So many strokes are kept together first; keep these, then go on.');
      return;
    }
    const stroke = { ...this.stroke(), points: [point], group: null };
    this.strokes.update((all) =>
      goesOn && all.length > 0
        ? [...all.slice(0, -1), { ...all[all.length - 1], points: [...all[all.length - 1].points, point] }]
        : [...all, stroke],
    );
    if (goesOn) {
      this.waiting.push(point);
      if (!this.busy()) void this.carryOn(stroke);
    } else void this.send({ ask: 'stroke', stroke, goesOn: false }).then(() => this.carryOn(stroke));
  }
  /** Does it to all of a group. */
  overGroup(group: string): void {
    const stroke = { ...this.stroke(), points: [], group };
    this.strokes.update((all) => [...all, stroke]);
    void this.send({ ask: 'stroke', stroke, goesOn: false });
  }
  undo(): void {
    if (this.strokes().length === 0 || this.busy()) return;
    this.strokes.update((all) => all.slice(0, -1));
    void this.send({ ask: 'undo' });
  }

  private stroke(): Pick<StrokeRequest, 'tool' | 'radius' | 'strength'> {
    const { tool, radius, strength, inwards } = this.settings();
    return { tool, radius, strength: tool === 'push' && inwards ? -strength : strength };
  }
  private async carryOn(stroke: StrokeRequest): Promise<void> {
    while (this.waiting.length > 0 && !this.busy()) {
      const points = this.waiting;
      this.waiting = [];
      await this.send({ ask: 'stroke', stroke: { ...stroke, points }, goesOn: true });
    }
  }
  private async send(question: BrushQuestion): Promise<void> {
    const mesh = this.level()?.mesh;
    if (mesh === undefined) return;
    this.busy.set(true);
    this.message.set(null);
    try {
      const { change } = await this.calls.ask<{ change: Change }>(question);
      put(change, mesh);
      this.turn.update((n) => n + 1);
    } catch (error) {
      this.say(error);
    } finally {
      this.busy.set(false);
    }
  }
  private say(error: unknown): void {
    this.message.set(error instanceof Error ? error.message : String(error));
  }
  private lost(): void {
    this.close();
    this.message.set('The brush ended with its worker; open it again.');
  }
}

function put({ moved, places, turned, normals }: Change, mesh: DrawnMesh): void {
  moved.forEach((v, k) => mesh.positions.set(places.subarray(3 * k, 3 * k + 3), 3 * v));
  turned.forEach((v, k) => mesh.normals.set(normals.subarray(3 * k, 3 * k + 3), 3 * v));
}
