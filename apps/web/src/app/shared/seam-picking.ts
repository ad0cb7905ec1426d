import { computed, inject, Injectable, signal } from '@angular/core';
import type { MeshSeams } from '@estampe/core';
import { edgeRow, endsOfEdges, openEdges } from '@estampe/core';
import { MeshStore } from './mesh-store';

/** How many picks can be taken back. */
const STEPS = 50;

/** Edges of the light mesh that are picked as seams on the Stage, while seams are picked in the step Sheet. */
@Injectable({ providedIn: 'root' })
export class SeamPicking {
  private readonly meshes = inject(MeshStore);
  /** The light mesh; null while nothing is picked. */
  readonly mesh = signal<{ readonly meshId: string; readonly seams: MeshSeams } | null>(null);
  /** Older picks, the newest last, and what is picked now. */
  private readonly past = signal<readonly Uint8Array[]>([]);
  /** 1 for each edge that is a seam; null while nothing is picked. */
  readonly picked = signal<Uint8Array | null>(null);
  readonly canUndo = computed(() => this.past().length > 0);
  /** Picked edges that the mesh has faces on both sides of. */
  readonly count = computed(() => {
    const [mesh, picked] = [this.mesh(), this.picked()];
    if (mesh === null || picked === null) return 0;
    const open = openEdges(mesh.seams.edges);
    return picked.reduce((n, p, e) => n + (p === 1 && open[e] === 0 ? 1 : 0), 0);
  });
  /** Ends of the picked edges, two points each. */
  readonly ends = computed(() => {
    const [mesh, picked] = [this.mesh(), this.picked()];
    return mesh === null || picked === null ? null : endsOfEdges(mesh.seams.edges, picked);
  });
  private wanted = '';

  /** Begins with the seams that a light mesh has. */
  async open(meshId: string): Promise<void> {
    this.wanted = meshId;
    const seams = await this.meshes.seams(meshId);
    if (this.wanted !== meshId) return;
    this.mesh.set({ meshId, seams });
    this.past.set([]);
    this.picked.set(seams.seam.slice());
  }
  close(): void {
    this.wanted = '';
    this.mesh.set(null);
    this.picked.set(null);
    this.past.set([]);
  }

  /** Cuts along an edge, or joins where it was cut. @param row the whole row of edges that it belongs to */
  toggle(edge: number, row: boolean): void {
    const [mesh, picked] = [this.mesh(), this.picked()];
    if (mesh === null || picked === null) return;
    const next = picked.slice();
    for (const e of row ? edgeRow(mesh.seams, edge) : [edge]) next[e] = 1 - picked[edge];
    this.put(next);
  }
  /** Only what the mesh cannot do without: its open borders. */
  clear(): void {
    const mesh = this.mesh();
    if (mesh !== null) this.put(openEdges(mesh.seams.edges));
  }
  /** The seams that the mesh has. */
  reset(): void {
    const mesh = this.mesh();
    if (mesh !== null) this.put(mesh.seams.seam.slice());
  }
  undo(): void {
    const before = this.past().at(-1);
    if (before === undefined) return;
    this.past.update((past) => past.slice(0, -1));
    this.picked.set(before);
  }
  private put(next: Uint8Array): void {
    const now = this.picked();
    if (now !== null) this.past.update((past) => [...past, now].slice(-STEPS));
    this.picked.set(next);
  }
}
