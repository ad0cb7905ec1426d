import { Spherical, Vector3 } from 'three';
import type { DrawnMesh } from '../workers/mesh-messages';
import { Lights } from './lights';
import { MARK_RGB, marksTexture } from './marks-texture';
import type { CameraPose } from './orbit';
import { Orbit, poseBetween } from './orbit';

const pose = (change: Partial<CameraPose> = {}): CameraPose => ({ target: [0, 0, 0], distance: 1, phi: 1, theta: 0, ...change });

describe('the flight of the camera', () => {
  it('starts and ends where it should, and comes nearer by equal factors', () => {
    const [a, b] = [pose({ target: [1, 2, 3], distance: 100 }), pose({ target: [5, 2, 3], distance: 1, theta: 0.5, phi: 2 })];
    expect(poseBetween(a, b, 0)).toMatchObject({ target: a.target, phi: a.phi, theta: a.theta });
    expect(poseBetween(a, b, 0).distance).toBeCloseTo(100, 9);
    const end = poseBetween(a, b, 1);
    expect(end.target).toEqual(b.target);
    expect(end.distance).toBeCloseTo(1, 12);
    expect(poseBetween(a, b, 0.5).distance).toBeCloseTo(10, 9);
  });
  it('turns the short way round', () => {
    const half = poseBetween(pose({ theta: 3 }), pose({ theta: -3 }), 0.5);
    expect(Math.abs(half.theta)).toBeCloseTo(Math.PI, 6); // across the back, not through the front
  });
  it('ends looking straight at a place along its normal, with the asked size in the frame', () => {
    const orbit = new Orbit();
    orbit.resize(800, 800);
    orbit.pose = orbit.poseTowards([10, 0, 0], [1, 0, 0], 2);
    const way = orbit.camera.position.clone().sub(new Vector3(10, 0, 0));
    expect(way.clone().normalize().x).toBeCloseTo(1, 6);
    const fov = (orbit.camera.fov * Math.PI) / 180;
    expect(way.length() * Math.sin(fov / 2)).toBeCloseTo(2, 6);
    expect(orbit.pose.target).toEqual([10, 0, 0]);
  });
  it('never looks straight down, where there is no upright', () => {
    const { phi } = new Orbit().poseTowards([0, 0, 0], [0, 1, 0], 1);
    expect(phi).toBeGreaterThan(0.2);
    expect(new Spherical(1, phi, 0).phi).toBe(phi);
  });
});

describe('lit faces', () => {
  // jsdom has no canvas; the ring is then without its picture
  beforeAll(() => jest.spyOn(HTMLCanvasElement.prototype, 'getContext').mockReturnValue(null));
  afterAll(() => jest.restoreAllMocks());

  // two quads of a strip along x, each of two triangles
  const strip: DrawnMesh = {
    positions: Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0),
    normals: new Float32Array(18),
    index: Uint32Array.of(0, 1, 4, 0, 4, 3, 1, 2, 5, 1, 5, 4),
    faces: Uint32Array.of(0, 0, 1, 1),
    errors: null,
    uvs: null,
    tiles: null,
    uvLines: new Float32Array(0),
  };
  it('give the place to fly to: their middle, their mean normal, their reach', () => {
    const lights = new Lights();
    const found = lights.lightFaces(strip, [1]);
    expect(found?.normal).toEqual([0, 0, 1]);
    expect(found?.position[1]).toBeCloseTo(0.5, 6);
    expect(found?.position[0]).toBeCloseTo(1.5, 6);
    expect(found?.radius).toBeCloseTo(Math.SQRT1_2, 6);
    expect(lights.group.children[0].visible).toBe(true);
  });
  it('go out again, and light nothing for faces that are not there', () => {
    const lights = new Lights();
    lights.lightFaces(strip, [0, 1]);
    expect(lights.lightFaces(strip, [7])).toBeNull();
    expect(lights.group.children.some((c) => c.visible)).toBe(false);
    lights.point([1, 2, 3]);
    expect(lights.group.children[1].position.toArray()).toEqual([1, 2, 3]);
    lights.clear();
    expect(lights.group.children.some((c) => c.visible)).toBe(false);
    expect(() => lights.dispose()).not.toThrow();
  });
});

describe('marks as a picture', () => {
  it('grow by a texel so that a single one is seen, rows turned for the texture, missed over doubtful where they meet', () => {
    const side = 8;
    const classes = new Uint8Array(side * side);
    classes[0] = 1; // missed, top left
    classes[2] = 2; // doubtful, two to the right
    const { image } = marksTexture({ side, classes, missed: 1, doubtful: 1, clipped: 0, mended: 0 });
    const data = image.data as Uint8Array;
    const at = (x: number, y: number): number[] => [...data.subarray(4 * ((side - 1 - y) * side + x), 4 * ((side - 1 - y) * side + x) + 4)];
    expect(at(0, 0)).toEqual([...(MARK_RGB[1] ?? []), 255]);
    expect(at(1, 1)).toEqual([...(MARK_RGB[1] ?? []), 255]);
    expect(at(2, 0)).toEqual([...(MARK_RGB[2] ?? []), 255]);
    expect(at(5, 5)).toEqual([0, 0, 0, 0]);
  });
});
