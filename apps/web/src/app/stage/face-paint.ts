import { BufferAttribute, BufferGeometry, Color, DoubleSide, Mesh, MeshBasicMaterial, SRGBColorSpace } from 'three';
import type { DrawnMesh } from '../workers/mesh-messages';

/** Colours of faces over a mesh, let through enough for its form to be seen. */
export class FacePaint {
  readonly mesh: Mesh;

  constructor() {
    const material = new MeshBasicMaterial({
      vertexColors: true, side: DoubleSide, transparent: true, opacity: 0.8, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2,
    }); // prettier-ignore
    this.mesh = new Mesh(new BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
  }

  /** @param colourOf red, green, blue of a face as on a screen, 0 to 255; null takes the paint off */
  paint({ positions, index, faces }: DrawnMesh, colourOf: ((face: number) => readonly [number, number, number]) | null): void {
    this.mesh.visible = colourOf !== null && faces !== null;
    if (colourOf === null || faces === null) return;
    const places = new Float32Array(3 * index.length);
    const colours = new Float32Array(3 * index.length);
    const colour = new Color();
    for (let i = 0; i < index.length; i++) {
      places.set(positions.subarray(3 * index[i], 3 * index[i] + 3), 3 * i);
      const [r, g, b] = colourOf(faces[Math.floor(i / 3)]);
      colour.setRGB(r / 255, g / 255, b / 255, SRGBColorSpace).toArray(colours, 3 * i);
    }
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(places, 3));
    geometry.setAttribute('color', new BufferAttribute(colours, 3));
    this.mesh.geometry.dispose();
    this.mesh.geometry = geometry;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    (this.mesh.material as MeshBasicMaterial).dispose();
  }
}
