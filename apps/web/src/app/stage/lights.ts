import { BufferAttribute, BufferGeometry, CanvasTexture, Color, DoubleSide, Group, Mesh, MeshBasicMaterial, Sprite, SpriteMaterial, Vector3 } from 'three'; // prettier-ignore
import type { DrawnMesh } from '../workers/mesh-messages';

export interface Place {
  readonly position: readonly [number, number, number];
  readonly normal: readonly [number, number, number];
}

const OCHRE = new Color('#e0a33a');

/** What is pointed out on a surface: faces of the light mesh, and one place. */
export class Lights {
  readonly group = new Group();
  private readonly faces: Mesh;
  /** The same, faintly, through what stands before them. */
  private readonly behind: Mesh;
  private readonly ring: Sprite;

  constructor() {
    const lit = new MeshBasicMaterial({
      color: OCHRE, side: DoubleSide, transparent: true, opacity: 0.75, depthTest: true, polygonOffset: true, polygonOffsetFactor: -4, polygonOffsetUnits: -4,
    }); // prettier-ignore
    this.faces = new Mesh(new BufferGeometry(), lit);
    this.faces.frustumCulled = false;
    this.faces.visible = false;
    this.behind = new Mesh(
      this.faces.geometry,
      new MeshBasicMaterial({ color: OCHRE, side: DoubleSide, transparent: true, opacity: 0.3, depthTest: false }),
    );
    this.behind.frustumCulled = false;
    this.behind.visible = false;
    this.ring = new Sprite(new SpriteMaterial({ map: ringPicture(), depthTest: false, sizeAttenuation: false }));
    this.ring.scale.setScalar(0.045);
    this.ring.visible = false;
    this.ring.renderOrder = 2;
    this.group.add(this.faces, this.ring, this.behind);
  }

  /** Lights faces of a mesh; without `faces` its triangles are those of quads. @returns their middle, mean normal and radius; null when there are
   *  none */
  lightFaces({ positions, index, faces }: DrawnMesh, wanted: readonly number[]): (Place & { readonly radius: number }) | null {
    const chosen = new Set(wanted);
    const [corners, beside]: [number[], number[]] = [[], []];
    const faceOf = (t: number): number => (faces === null ? t >> 1 : faces[t]);
    const points = new Set<number>();
    if (chosen.size > 0)
      for (let t = 0; 3 * t < index.length; t++)
        if (chosen.has(faceOf(t)))
          for (let k = 3 * t; k < 3 * t + 3; k++) {
            corners.push(index[k]);
            points.add(index[k]);
          }
    if (points.size > 0)
      for (let t = 0; 3 * t < index.length; t++) {
        const [a, b, c] = [index[3 * t], index[3 * t + 1], index[3 * t + 2]];
        if ((points.has(a) || points.has(b) || points.has(c)) && !chosen.has(faceOf(t))) beside.push(a, b, c);
      }
    this.faces.visible = this.behind.visible = corners.length > 0;
    if (corners.length === 0) return null;
    const place = around(positions, corners);
    const normal = outwards(positions, beside, place.normal);
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(positions, 3));
    // seen from outside they are lit like any other
    geometry.setIndex(normal === place.normal ? corners : [...corners].reverse());
    this.faces.geometry.dispose();
    this.faces.geometry = this.behind.geometry = geometry;
    // what has no area cannot be lit
    this.point(place.area > 0 ? null : place.position);
    return { ...place, normal };
  }

  /** Rings one place; null takes the ring away. */
  point(place: readonly [number, number, number] | null): void {
    this.ring.visible = place !== null;
    if (place) this.ring.position.set(...place);
  }

  clear(): void {
    this.faces.visible = this.behind.visible = false;
    this.ring.visible = false;
  }

  dispose(): void {
    this.faces.geometry.dispose();
    for (const { material } of [this.faces, this.behind]) (material as MeshBasicMaterial).dispose();
    this.ring.material.map?.dispose();
    this.ring.material.dispose();
  }
}

/** Where to look from: against the faces' own direction where those around them face the other way. */
function outwards(positions: Float32Array, beside: readonly number[], normal: Place['normal']): Place['normal'] {
  const turned = beside.length > 0 && new Vector3(...around(positions, beside).normal).dot(new Vector3(...normal)) < -0.5;
  return turned ? [-normal[0], -normal[1], -normal[2]] : normal;
}

function around(positions: Float32Array, corners: readonly number[]): Place & { readonly radius: number; readonly area: number } {
  const at = (i: number): Vector3 => new Vector3(positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]);
  const middle = new Vector3();
  const normal = new Vector3();
  for (let i = 0; i < corners.length; i += 3) {
    const [a, b, c] = [at(corners[i]), at(corners[i + 1]), at(corners[i + 2])];
    middle.add(a).add(b).add(c);
    normal.add(b.clone().sub(a).cross(c.sub(a)));
  }
  middle.divideScalar(corners.length);
  const radius = Math.max(...corners.map((i) => at(i).distanceTo(middle)));
  const area = normal.length();
  if (area === 0) normal.set(0, 0, 1);
  normal.normalize();
  return { position: middle.toArray(), normal: normal.toArray(), radius, area };
}

function ringPicture(): CanvasTexture {
  const side = 64;
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = side;
  const pen = canvas.getContext('2d');
  if (pen) {
    for (const [colour, width] of [
      ['#23211d', 9],
      ['#f0b549', 5],
    ] as const) {
      pen.strokeStyle = colour;
      pen.lineWidth = width;
      pen.beginPath();
      pen.arc(side / 2, side / 2, side / 2 - 8, 0, 2 * Math.PI);
      pen.stroke();
    }
  }
  return new CanvasTexture(canvas);
}
