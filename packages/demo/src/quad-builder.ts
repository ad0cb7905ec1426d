import type { PolyMesh } from '@estampe/core';
import { polyMesh } from '@estampe/core';

/** Collects quads point by point; equal places are shared through keys that the caller chooses. */
export class QuadBuilder {
  private readonly positions: number[] = [];
  private readonly uvs: number[] = [];
  private readonly faceVerts: number[] = [];
  private readonly faceUvs: number[] = [];
  private readonly faceSections: number[] = [];
  private readonly pointKeys = new Map<string, number>();
  private readonly uvKeys = new Map<string, number>();
  private readonly groups: string[] = [];

  constructor(private readonly object: string) {}

  point(key: string, x: number, y: number, z: number): number {
    let i = this.pointKeys.get(key);
    if (i === undefined) {
      i = this.positions.push(x, y, z) / 3 - 1;
      this.pointKeys.set(key, i);
    }
    return i;
  }
  uv(key: string, u: number, v: number): number {
    let i = this.uvKeys.get(key);
    if (i === undefined) {
      i = this.uvs.push(u, v) / 2 - 1;
      this.uvKeys.set(key, i);
    }
    return i;
  }
  quad(group: string, points: readonly number[], uvs: readonly number[]): void {
    if (!this.groups.includes(group)) this.groups.push(group);
    this.faceVerts.push(...points);
    this.faceUvs.push(...uvs);
    this.faceSections.push(this.groups.indexOf(group));
  }
  finish(): PolyMesh {
    const F = this.faceSections.length;
    return polyMesh({
      positions: Float32Array.from(this.positions),
      faceOffsets: Uint32Array.from({ length: F + 1 }, (_, i) => 4 * i),
      faceVerts: Uint32Array.from(this.faceVerts),
      uvs: Float32Array.from(this.uvs),
      faceUvs: Uint32Array.from(this.faceUvs),
      sections: this.groups.map((group) => ({ object: this.object, group, material: '', smoothing: '' })),
      faceSections: Uint16Array.from(this.faceSections),
    });
  }
}
