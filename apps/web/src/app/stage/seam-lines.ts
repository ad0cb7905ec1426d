import { BufferAttribute, BufferGeometry, Color, LineBasicMaterial, LineSegments } from 'three';
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js';
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js';

const PRUSSIAN = new Color('#1f4e6b');
const WIDTH_PX = 3;

/** Edges of a mesh, drawn as lines. */
export class SeamLines {
  private readonly material = new LineMaterial({ color: PRUSSIAN.getHex(), linewidth: WIDTH_PX });
  readonly object = new LineSegments2(new LineSegmentsGeometry(), this.material);

  /** All edges, so that one sees what can be picked. */
  readonly wire = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: 0x23211d, transparent: true, opacity: 0.35 }));

  constructor() {
    this.wire.visible = false;
    this.wire.frustumCulled = false;
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

  /** @param ends points at both ends of every edge; null for none */
  showAll(positions: Float32Array, ends: Uint32Array | null): void {
    this.wire.visible = ends !== null;
    if (ends === null) return;
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(positions, 3));
    geometry.setIndex(new BufferAttribute(ends, 1));
    this.wire.geometry.dispose();
    this.wire.geometry = geometry;
  }

  resize(width: number, height: number): void {
    this.material.resolution.set(width, height);
  }

  dispose(): void {
    this.object.geometry.dispose();
    this.material.dispose();
    this.wire.geometry.dispose();
    this.wire.material.dispose();
  }
}
