import { computed, inject, Injectable, signal } from '@angular/core';
import { groupFill } from '@estampe/contracts';
import type { FaceGroups, FaceLinks } from '@estampe/core';
import { floodedFaces, grownFaces, shrunkFaces } from '@estampe/core';
import { MeshStore } from './mesh-store';

export type MarkTool = 'lasso' | 'flood';
/** What happens with what was marked before. */
export type MarkMode = 'instead' | 'add' | 'take away';
export type Rgb = readonly [number, number, number];

const MARKED: Rgb = [201, 141, 28];
const PLAIN: Rgb = [251, 248, 242];

interface LightMesh {
  readonly meshId: string;
  readonly groups: FaceGroups;
  readonly links: FaceLinks;
}

/** Faces of the light mesh that are marked on the Stage, while groups are open in the step Sculpt. */
@Injectable({ providedIn: 'root' })
export class FaceMarking {
  private readonly meshes = inject(MeshStore);
  /** The light mesh whose groups are open; null while none are. */
  readonly mesh = signal<LightMesh | null>(null);
  readonly tool = signal<MarkTool>('flood');
  /** What a flood stops at. */
  readonly stops = signal<{ readonly bendDegrees: number | null; readonly seams: boolean; readonly groups: boolean }>({
    bendDegrees: 40,
    seams: false,
    groups: true,
  });
  private readonly byMesh = signal<{ readonly meshId: string; readonly faces: Uint8Array } | null>(null);
  /** 1 for each marked face; null while no groups are open. */
  readonly marked = computed(() => {
    const mesh = this.mesh();
    const own = this.byMesh();
    if (mesh === null) return null;
    return own?.meshId === mesh.meshId ? own.faces : new Uint8Array(mesh.groups.of.length);
  });
  readonly count = computed(() => this.marked()?.reduce((n, m) => n + m, 0) ?? 0);
  /** Colour of each face, groups in their fills; null while no groups are open. */
  readonly colourOf = computed<((face: number) => Rgb) | null>(() => {
    const mesh = this.mesh();
    const marked = this.marked();
    if (mesh === null || marked === null) return null;
    const { names, of } = mesh.groups;
    const fills = names.map((name, g) => (name === '' ? PLAIN : rgbOf(groupFill(g))));
    return (f) => (marked[f] === 1 ? MARKED : fills[of[f]]);
  });
  private wanted = '';

  /** Opens the groups of a light mesh. @param made here; null for those that the mesh came with */
  async open(meshId: string, made: FaceGroups | null): Promise<void> {
    this.wanted = meshId;
    const { groups, links } = await this.meshes.faces(meshId);
    if (this.wanted === meshId) this.mesh.set({ meshId, groups: made ?? groups, links });
  }
  close(): void {
    this.wanted = '';
    this.mesh.set(null);
    this.byMesh.set(null);
  }

  mark(faces: readonly number[], mode: MarkMode): void {
    const before = this.marked();
    if (before === null) return;
    const next = mode === 'instead' ? new Uint8Array(before.length) : before.slice();
    for (const f of faces) next[f] = mode === 'take away' ? 0 : 1;
    this.put(next);
  }
  /** Marks all that can be reached from a face. */
  flood(face: number, mode: MarkMode): void {
    const mesh = this.mesh();
    if (mesh === null) return;
    const { bendDegrees, seams, groups } = this.stops();
    const found = floodedFaces(mesh.links, face, {
      bend: bendDegrees === null ? null : (bendDegrees * Math.PI) / 180,
      seams,
      groups: groups ? mesh.groups.of : null,
    });
    this.mark(indicesOf(found), mode);
  }
  markGroup(name: string): void {
    const groups = this.mesh()?.groups;
    if (groups === undefined) return;
    const group = groups.names.indexOf(name);
    this.put(Uint8Array.from(groups.of, (g) => Number(g === group)));
  }
  grow(): void {
    this.change(grownFaces);
  }
  shrink(): void {
    this.change(shrunkFaces);
  }
  invert(): void {
    this.change((_, marked) => marked.map((m) => 1 - m));
  }
  clear(): void {
    this.change((_, marked) => new Uint8Array(marked.length));
  }

  private change(how: (links: FaceLinks, marked: Uint8Array) => Uint8Array): void {
    const [mesh, marked] = [this.mesh(), this.marked()];
    if (mesh !== null && marked !== null) this.put(how(mesh.links, marked));
  }
  private put(faces: Uint8Array): void {
    const mesh = this.mesh();
    if (mesh !== null) this.byMesh.set({ meshId: mesh.meshId, faces });
  }
}

const indicesOf = (marked: Uint8Array): number[] => [...marked.keys()].filter((f) => marked[f] === 1);
const rgbOf = (hex: string): Rgb => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16)) as unknown as Rgb;
