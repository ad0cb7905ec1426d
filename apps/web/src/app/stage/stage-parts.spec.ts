import { Spherical, Vector3 } from 'three';
import { uvColour } from '../shared/uv-colours';
import type { DrawnMesh } from '../workers/mesh-messages';
import { FacePaint } from './face-paint';
import { Lights } from './lights';
import type { Marks } from '../workers/field-messages';
import type { MarkLayers } from './marks-texture';
import { MARKED_TILES, markLayers, sumOfMarks } from './marks-texture';
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

describe('painted faces', () => {
  it('have a colour each, over the mesh, until the paint is taken off', () => {
    const paint = new FacePaint();
    const square = { positions: Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0), index: Uint32Array.of(0, 1, 2, 0, 2, 3), faces: Uint32Array.of(0, 1) } as unknown as DrawnMesh; // prettier-ignore
    paint.paint(square, (f) => (f === 0 ? [255, 0, 0] : [0, 0, 255]));
    const { mesh } = paint;
    expect(mesh.visible).toBe(true);
    expect([...mesh.geometry.getAttribute('color').array]).toEqual([1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 1]);
    expect([...mesh.geometry.getAttribute('position').array].slice(9)).toEqual([0, 0, 0, 1, 1, 0, 0, 1, 0]);
    paint.paint(square, null);
    expect(mesh.visible).toBe(false);
  });
  it('are pale where texels are even, dark where they are four times as long, blue where they are few', () => {
    expect([0, 2, 9, Infinity].map((x) => uvColour('stretch', x))).toEqual([[251, 248, 242], ...Array<number[]>(3).fill([35, 33, 29])]);
    expect([-1, -Infinity].map((x) => uvColour('density', x))).toEqual(Array<number[]>(2).fill([31, 78, 107]));
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
    uvLinesOfFaces: null,
    islands: null,
    uvLayers: null,
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
    // turned against its neighbour, and without area
    const turned = strip.index.slice();
    turned.subarray(6, 9).reverse();
    turned.subarray(9, 12).reverse();
    expect(lights.lightFaces({ ...strip, index: turned }, [1])?.normal).toEqual([-0, -0, 1]);
    lights.lightFaces({ ...strip, index: strip.index.map((v, i) => (i < 6 ? v : 1)) }, [1]);
    expect(lights.group.children[1].visible).toBe(true);
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

describe('marks as layers', () => {
  const side = 8;
  const marksAt = (...marked: [at: number, mark: number][]): Marks => {
    const classes = new Uint8Array(side * side);
    for (const [at, mark] of marked) classes[at] = mark;
    const count = (mark: number): number => marked.filter(([, m]) => m === mark).length;
    return { side, classes, missed: count(1), doubtful: count(2), clipped: count(3), mended: count(4) };
  };
  /** Class at a texel, rows from the top. */
  const classAt = ({ texture }: MarkLayers, layer: number, x: number, y: number): number => {
    const { data, width, height } = texture.image as { data: Uint8Array; width: number; height: number };
    return data[layer * width * height + (height - 1 - y) * width + x];
  };

  it('grow by a texel so that a single one is seen, rows turned for the texture, a texel keeping its own mark', () => {
    const layers = markLayers([[1001, marksAt([0, 1], [2, 2], [side + 1, 3])]]);
    expect(layers.tiles).toEqual([1001]);
    expect([classAt(layers, 0, 0, 0), classAt(layers, 0, 1, 1), classAt(layers, 0, 2, 0), classAt(layers, 0, 5, 5)]).toEqual([1, 3, 2, 0]);
  });

  it('have a layer for each tile, the worst first, and counts of all together; of very many tiles the worst are kept', () => {
    const [quiet, loud] = [marksAt([9, 4]), marksAt([9, 1], [30, 2])];
    const layers = markLayers([[1001, quiet], [1002, loud]]); // prettier-ignore
    expect(layers.tiles).toEqual([1002, 1001]);
    expect([classAt(layers, 0, 1, 1), classAt(layers, 1, 1, 1)]).toEqual([1, 4]);
    expect(sumOfMarks([quiet, loud])).toEqual({ missed: 1, doubtful: 1, clipped: 0, mended: 1 });
    const many = markLayers(Array.from({ length: MARKED_TILES + 5 }, (_, k) => [1001 + k, k === 20 ? loud : quiet] as const));
    expect(many.tiles).toHaveLength(MARKED_TILES);
    expect(many.tiles[0]).toBe(1021);
    expect(markLayers([]).tiles).toEqual([]);
  });

  it('of tiles of different sizes share one size', () => {
    const small: Marks = { ...marksAt(), side: 2, classes: Uint8Array.of(0, 1, 0, 0), missed: 1 };
    const layers = markLayers([[1001, small], [1002, marksAt([0, 2])]]); // prettier-ignore
    const tile = layers.tiles.indexOf(1001);
    expect([classAt(layers, tile, 4, 0), classAt(layers, tile, 0, 4)]).toEqual([1, 0]);
  });
});
