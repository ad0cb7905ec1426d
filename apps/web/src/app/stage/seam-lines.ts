import { Color } from 'three';
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js';

const PRUSSIAN = new Color('#1f4e6b');
const WIDTH_PX = 3;

/** Edges of a mesh, drawn as lines. */
export class SeamLines {
  private readonly material = new LineMaterial({ color: PRUSSIAN.getHex(), linewidth: WIDTH_PX });
  readonly object = new LineSegments2(new LineSegmentsGeometry(), this.material);

  constructor() {
    this.object.visible = false;
    this.object.frustumCulled = false;
  }

  /** @param ends points at both ends of each edge; null for none */
  show(positions: Float32Array, ends: Uint32Array | null): void {
    this.object.visible = ends !== null && ends.length > 0;
    if (ends === null || ends.length === 0) return;
    const places = new Float32Array(3 * ends.length);
    for (let i = 0; i < ends.length; i++) places.set(positions.subarray(3 * ends[i], 3 * ends[i] + 3), 3 * i);
    this.object.geometry.dispose();
    this.object.geometry = new LineSegmentsGeometry().setPositions(places);
  }

  resize(width: number, height: number): void {
    this.material.resolution.set(width, height);
  }

  dispose(): void {
    this.object.geometry.dispose();
    this.material.dispose();
  }
}
