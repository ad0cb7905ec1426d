import type { UpAxis } from '@estampe/contracts';
import { MathUtils, PerspectiveCamera, Spherical, Vector3 } from 'three';

const FIELD_OF_VIEW = 32;

export interface CameraPose {
  readonly target: readonly [number, number, number];
  readonly distance: number;
  /** From straight up, and round; radians. */
  readonly phi: number;
  readonly theta: number;
}

/** Between two poses, the short way round; the distance by its logarithm, as the eye sees it. */
export function poseBetween(a: CameraPose, b: CameraPose, share: number): CameraPose {
  const mix = (x: number, y: number): number => x + (y - x) * share;
  const round = MathUtils.euclideanModulo(b.theta - a.theta + Math.PI, 2 * Math.PI) - Math.PI;
  return {
    target: [mix(a.target[0], b.target[0]), mix(a.target[1], b.target[1]), mix(a.target[2], b.target[2])],
    distance: Math.exp(mix(Math.log(a.distance), Math.log(b.distance))),
    phi: mix(a.phi, b.phi),
    theta: a.theta + round * share,
  };
}

/** A camera that turns around a point: turn, move sideways, come nearer; nothing here knows about the DOM. */
export class Orbit {
  readonly camera = new PerspectiveCamera(FIELD_OF_VIEW, 1, 0.1, 1000);
  private readonly target = new Vector3();
  private readonly place = new Spherical(3, Math.PI / 2 - 0.2, -0.5);
  private radius = 1;
  private upAxis: UpAxis = 'y';

  /** Which axis of the scene stands upright. */
  set up(axis: UpAxis) {
    if (axis === this.upAxis) return;
    this.upAxis = axis;
    this.camera.up.set(0, axis === 'y' ? 1 : 0, axis === 'z' ? 1 : 0);
    this.update();
  }

  /** Puts a sphere into the frame. */
  frame(centre: readonly [number, number, number], radius: number): void {
    this.target.set(...centre);
    this.radius = Math.max(radius, 1e-9);
    this.place.radius = (1.02 * this.radius) / Math.sin(MathUtils.degToRad(FIELD_OF_VIEW / 2)) / Math.min(1, this.camera.aspect);
    this.update();
  }
  /** Where the camera is, to come back to or to go to. */
  get pose(): CameraPose {
    const { radius, phi, theta } = this.place;
    return { target: [this.target.x, this.target.y, this.target.z], distance: radius, phi, theta };
  }
  set pose({ target, distance, phi, theta }: CameraPose) {
    this.target.set(...target);
    this.place.set(distance, phi, theta);
    this.update();
  }
  /** The pose that looks straight at a place along its normal, with `size` filling the frame. */
  poseTowards(target: readonly [number, number, number], normal: readonly [number, number, number], size: number): CameraPose {
    const way = new Spherical().setFromVector3(this.toUpright(new Vector3(...normal)));
    const distance = size / Math.sin(MathUtils.degToRad(FIELD_OF_VIEW / 2)) / Math.min(1, this.camera.aspect);
    // straight from above or below there would be no upright
    return { target, distance, phi: MathUtils.clamp(way.phi, 0.3, Math.PI - 0.3), theta: way.theta };
  }
  turn(dxRad: number, dyRad: number): void {
    this.place.theta -= dxRad;
    this.place.phi = MathUtils.clamp(this.place.phi - dyRad, 0.02, Math.PI - 0.02);
    this.update();
  }
  /** @param dx, dy shares of the view's height */
  move(dx: number, dy: number): void {
    const span = 2 * this.place.radius * Math.tan(MathUtils.degToRad(FIELD_OF_VIEW / 2));
    const right = new Vector3().setFromMatrixColumn(this.camera.matrix, 0);
    const up = new Vector3().setFromMatrixColumn(this.camera.matrix, 1);
    this.target.addScaledVector(right, -dx * span).addScaledVector(up, dy * span);
    this.update();
  }
  nearer(factor: number): void {
    this.place.radius = MathUtils.clamp(this.place.radius * factor, 0.02 * this.radius, 40 * this.radius);
    this.update();
  }
  resize(width: number, height: number): void {
    this.camera.aspect = width / Math.max(1, height);
    this.camera.updateProjectionMatrix();
  }
  /** From a world whose y is up into the scene: with z up, its front is -y. */
  private toScene({ x, y, z }: Vector3): Vector3 {
    return this.upAxis === 'y' ? new Vector3(x, y, z) : new Vector3(x, -z, y);
  }
  private toUpright({ x, y, z }: Vector3): Vector3 {
    return this.upAxis === 'y' ? new Vector3(x, y, z) : new Vector3(x, z, -y);
  }
  private update(): void {
    this.camera.position.copy(this.toScene(new Vector3().setFromSpherical(this.place))).add(this.target);
    this.camera.lookAt(this.target);
    this.camera.near = Math.max(this.place.radius - 4 * this.radius, 0.002 * this.place.radius);
    this.camera.far = this.place.radius + 4 * this.radius;
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }
}
