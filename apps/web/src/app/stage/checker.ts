import { BufferAttribute, BufferGeometry, CanvasTexture, DoubleSide, Mesh, MeshBasicMaterial, RepeatWrapping, SRGBColorSpace } from 'three';
import type { DrawnMesh } from '../workers/mesh-messages';

/** Squares along a side of a tile. */
export const CHECKS = 16;
const SIDE_PX = 2048;
const FILLS = ['#f3eee4', '#c9d0d2'] as const;
const INK = '#23211d';

/** Numbered squares of the UV tiles over a mesh that is split along its seams: column, row, from the lower left corner. */
export class Checker {
  readonly mesh: Mesh<BufferGeometry, MeshBasicMaterial>;
  private drawn: DrawnMesh | null = null;

  constructor() {
    const material = new MeshBasicMaterial({
      side: DoubleSide, transparent: true, opacity: 0.9, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2,
    }); // prettier-ignore
    this.mesh = new Mesh(new BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
  }

  /** @param mesh with its UVs; null takes the squares off */
  show(mesh: DrawnMesh | null): void {
    this.mesh.visible = mesh?.uvs != null;
    if (mesh?.uvs == null || mesh === this.drawn) return;
    this.drawn = mesh;
    // made when first asked for
    this.mesh.material.map ??= picture();
    this.mesh.material.needsUpdate = true;
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(mesh.positions, 3));
    geometry.setAttribute('uv', new BufferAttribute(mesh.uvs, 2));
    geometry.setIndex(new BufferAttribute(mesh.index, 1));
    this.mesh.geometry.dispose();
    this.mesh.geometry = geometry;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.map?.dispose();
    this.mesh.material.dispose();
  }
}

function picture(): CanvasTexture {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = SIDE_PX;
  const pen = canvas.getContext('2d');
  const side = SIDE_PX / CHECKS;
  if (pen) {
    pen.textAlign = 'center';
    pen.textBaseline = 'middle';
    pen.font = `500 ${0.3 * side}px 'IBM Plex Mono', monospace`;
    for (let row = 0; row < CHECKS; row++)
      for (let column = 0; column < CHECKS; column++) {
        // rows go up, pixels go down
        const [x, y] = [column * side, SIDE_PX - (row + 1) * side];
        pen.fillStyle = FILLS[(row + column) % 2];
        pen.fillRect(x, y, side, side);
        pen.fillStyle = INK;
        pen.fillText(`${column + 1},${row + 1}`, x + side / 2, y + side / 2);
      }
  }
  const texture = new CanvasTexture(canvas);
  texture.colorSpace = SRGBColorSpace;
  texture.wrapS = texture.wrapT = RepeatWrapping;
  texture.anisotropy = 8;
  return texture;
}
