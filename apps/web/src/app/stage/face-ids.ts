import type { Camera, WebGLRenderer } from 'three';
import { BufferAttribute, BufferGeometry, DoubleSide, Mesh, MeshBasicMaterial, NearestFilter, Scene, WebGLRenderTarget } from 'three';
import type { DrawnMesh } from '../workers/mesh-messages';

/** Draws which face is seen at each pixel, where nobody sees it. */
export class FaceIds {
  private readonly scene = new Scene();
  private readonly object = new Mesh(
    new BufferGeometry(),
    new MeshBasicMaterial({ vertexColors: true, side: DoubleSide, toneMapped: false }),
  );
  private readonly target = new WebGLRenderTarget(1, 1, { minFilter: NearestFilter, magFilter: NearestFilter, samples: 0 });
  private drawn: DrawnMesh | null = null;

  constructor() {
    this.object.frustumCulled = false;
    this.scene.add(this.object);
  }

  /** @returns face + 1 at each pixel, 0 where there is none; rows from the top */
  idsOf(renderer: WebGLRenderer, camera: Camera, mesh: DrawnMesh, width: number, height: number): Uint32Array {
    if (this.drawn !== mesh) this.take(mesh);
    this.target.setSize(width, height);
    renderer.setScissorTest(false);
    renderer.setRenderTarget(this.target);
    renderer.autoClear = true;
    renderer.render(this.scene, camera);
    const pixels = new Uint8Array(4 * width * height);
    renderer.readRenderTargetPixels(this.target, 0, 0, width, height, pixels);
    renderer.setRenderTarget(null);
    const ids = new Uint32Array(width * height);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const o = 4 * ((height - 1 - y) * width + x);
        ids[y * width + x] = pixels[o] + 256 * pixels[o + 1] + 65536 * pixels[o + 2];
      }
    return ids;
  }

  dispose(): void {
    this.object.geometry.dispose();
    this.object.material.dispose();
    this.target.dispose();
  }

  /** Every triangle in the colour of its face's number, exactly: bytes in, bytes out. */
  private take(mesh: DrawnMesh): void {
    const { positions, index, faces } = mesh;
    const places = new Float32Array(3 * index.length);
    const colours = new Uint8Array(3 * index.length);
    for (let i = 0; i < index.length; i++) {
      places.set(positions.subarray(3 * index[i], 3 * index[i] + 3), 3 * i);
      const id = (faces?.[Math.floor(i / 3)] ?? -1) + 1;
      colours[3 * i] = id & 255;
      colours[3 * i + 1] = (id >> 8) & 255;
      colours[3 * i + 2] = (id >> 16) & 255;
    }
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(places, 3));
    geometry.setAttribute('color', new BufferAttribute(colours, 3, true));
    this.object.geometry.dispose();
    this.object.geometry = geometry;
    this.drawn = mesh;
  }
}
