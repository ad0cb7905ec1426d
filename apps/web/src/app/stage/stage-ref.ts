import { BufferAttribute, BufferGeometry, MathUtils, Mesh, Scene, Vector3, WebGLRenderer } from 'three';
import type { LightDirection } from '../shared/raking-light';
import type { DrawnMesh } from '../workers/mesh-messages';
import type { Shading } from './clay-material';
import { createClayMaterial, LINE_COLOURS, modeOf } from './clay-material';
import { Checker } from './checker';
import { FaceIds } from './face-ids';
import { FacePaint } from './face-paint';
import { Lights } from './lights';
import type { MarkLayers } from './marks-texture';
import { Orbit, poseBetween } from './orbit';
import { SeamLines } from './seam-lines';
import type { CameraPose } from './orbit';

/** One side of the wipe. */
export interface StageSide {
  readonly mesh: DrawnMesh;
  readonly shading: Shading;
  /** A second surface whose level lines are drawn over this one's; null for none. */
  readonly lines: DrawnMesh | null;
}
export interface StageContent {
  readonly left: StageSide | null;
  readonly right: StageSide | null;
  /** A lighter stand-in while the camera moves; null when the full mesh is light enough. */
  readonly coarse: DrawnMesh | null;
  /** Error, in scene units, at which the colours end. */
  readonly errorRange: number;
  /** Scene units between level lines; 0 for none. */
  readonly spacing: number;
  /** Texels to lay on the surface, by tile. */
  readonly marks: MarkLayers | null;
}

/** A frame slower than this makes the stand-in worth it. */
const SLOW_MS = 45;
const SETTLE_MS = 180;
const FLIGHT_MS = 700;
/** How far a surface gives way to lines that lie on it, in steps of depth. */
const BEHIND_SEAMS = 2;

/** The 3D view, without Angular: content in, pictures out, drawn on demand only. */
export class StageRef {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly material = createClayMaterial();
  private readonly geometries = new WeakMap<DrawnMesh, BufferGeometry>();
  private readonly owned = new Set<BufferGeometry>();
  private readonly object = new Mesh<BufferGeometry>(new BufferGeometry(), this.material);
  readonly orbit = new Orbit();
  readonly lights = new Lights();
  readonly paint = new FacePaint();
  readonly checker = new Checker();
  private readonly ids = new FaceIds();
  readonly seams = new SeamLines();
  private flight = 0;
  private content: StageContent = { left: null, right: null, coarse: null, errorRange: 1, spacing: 0, marks: null };
  private wipe = 0.5;
  private framed = false;
  private slow = false;
  private standsIn = false;
  private moving = false;
  private request = 0;
  private settle = 0;
  private size = { width: 0, height: 0 };

  /** @param onStandIn told when the lighter stand-in takes the place of the full meshes, and when it leaves */
  constructor(
    canvas: HTMLCanvasElement,
    private readonly onStandIn: (shown: boolean) => void,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: window.devicePixelRatio < 2, alpha: true });
    this.renderer.setClearColor(0x000000, 0);
    this.object.frustumCulled = false;
    this.scene.add(this.object, this.paint.mesh, this.checker.mesh, this.lights.group, this.seams.wire, this.seams.object);
  }

  setContent(content: StageContent): void {
    this.content = content;
    const first = content.left ?? content.right;
    if (first && !this.framed) {
      this.frameAll();
      this.framed = true;
    }
    this.draw();
  }
  /** @param share of the width that the left side takes; the right side takes the rest */
  setWipe(share: number): void {
    this.wipe = share;
    this.draw();
  }
  setLight({ azimuthRad, elevationRad }: LightDirection): void {
    (this.material.uniforms['light'].value as Vector3).set(
      Math.sin(azimuthRad) * Math.cos(elevationRad),
      Math.cos(azimuthRad) * Math.cos(elevationRad),
      Math.sin(elevationRad),
    );
    this.draw();
  }
  /** @param width, height 0 while nobody can see it; nothing is drawn then */
  resize(width: number, height: number): void {
    this.size = { width, height };
    if (width === 0 || height === 0) return;
    this.renderer.setPixelRatio(window.devicePixelRatio);
    this.renderer.setSize(width, height, false);
    this.orbit.resize(width, height);
    this.seams.resize(width, height);
    if (this.framed) this.draw();
  }
  frameAll(): void {
    const mesh = (this.content.left ?? this.content.right)?.mesh;
    if (!mesh) return;
    const geometry = this.geometryOf(mesh);
    geometry.computeBoundingSphere();
    const ball = geometry.boundingSphere;
    if (ball) this.orbit.frame([ball.center.x, ball.center.y, ball.center.z], ball.radius);
    this.draw();
  }
  /** Takes the camera to a place along its normal; at once for those who have asked for less motion. */
  flyTo(target: readonly [number, number, number], normal: readonly [number, number, number], size: number): void {
    const from = this.orbit.pose;
    const to: CameraPose = this.orbit.poseTowards(target, normal, size);
    cancelAnimationFrame(this.flight);
    const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
    const started = performance.now();
    const step = (): void => {
      const t = still ? 1 : Math.min(1, (performance.now() - started) / FLIGHT_MS);
      this.orbit.pose = poseBetween(from, to, t * t * (3 - 2 * t));
      this.moved();
      if (t < 1) this.flight = requestAnimationFrame(step);
    };
    step();
  }
  /** Which face of a mesh is seen at each pixel of the view: face + 1, 0 for none; rows from the top. */
  facesSeen(mesh: DrawnMesh): { readonly ids: Uint32Array; readonly width: number; readonly height: number } {
    const [width, height] = [Math.round(this.size.width), Math.round(this.size.height)];
    const ids = this.ids.idsOf(this.renderer, this.orbit.camera, mesh, width, height);
    this.draw();
    return { ids, width, height };
  }
  /** Where a place of the scene is on the view, in pixels from its upper left corner. */
  placeOnView(x: number, y: number, z: number): { readonly x: number; readonly y: number } {
    const place = new Vector3(x, y, z);
    place.project(this.orbit.camera);
    return { x: ((place.x + 1) / 2) * this.size.width, y: ((1 - place.y) / 2) * this.size.height };
  }
  /** Pixels that a length covers where the camera looks at. */
  pixelsOf(length: number): number {
    const { distance } = this.orbit.pose;
    const seen = 2 * distance * Math.tan(MathUtils.degToRad(this.orbit.camera.fov / 2));
    return (length / seen) * this.size.height;
  }
  /** To be called when points of a mesh have moved in their place. */
  movedPoints(mesh: DrawnMesh): void {
    const geometry = this.geometries.get(mesh);
    for (const name of ['position', 'normal']) if (geometry) geometry.attributes[name].needsUpdate = true;
    this.draw();
  }
  redraw(): void {
    this.draw();
  }
  /** To be called with every change of the camera by hand. */
  moved(): void {
    this.moving = true;
    window.clearTimeout(this.settle);
    this.settle = window.setTimeout(() => {
      this.moving = false;
      this.draw();
    }, SETTLE_MS);
    this.draw();
  }
  dispose(): void {
    cancelAnimationFrame(this.request);
    cancelAnimationFrame(this.flight);
    this.lights.dispose();
    this.paint.dispose();
    this.checker.dispose();
    this.ids.dispose();
    this.seams.dispose();
    window.clearTimeout(this.settle);
    for (const geometry of this.owned) geometry.dispose();
    this.material.dispose();
    this.renderer.dispose();
  }

  private draw(): void {
    if (this.request !== 0 || this.size.width === 0 || this.size.height === 0) return;
    this.request = requestAnimationFrame(() => {
      this.request = 0;
      this.drawNow();
    });
  }

  private drawNow(): void {
    const { renderer, size } = this;
    const { left, right, coarse } = this.content;
    const standIn = this.moving && this.slow ? coarse : null;
    if ((standIn !== null) !== this.standsIn) this.onStandIn((this.standsIn = standIn !== null));
    const cut = left && right ? Math.round(size.width * this.wipe) : left ? size.width : 0;
    const started = performance.now();
    renderer.setScissorTest(false);
    renderer.clear();
    renderer.setScissorTest(true);
    if (left && cut > 0) this.drawSide(left, standIn, 0, cut);
    if (right && cut < size.width) this.drawSide(right, standIn, cut, size.width - cut);
    if (standIn || this.moving) return;
    // waiting for the picture tells how long it really took
    const gl = renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    this.slow = performance.now() - started > SLOW_MS;
  }

  private drawSide({ mesh, shading, lines }: StageSide, standIn: DrawnMesh | null, x: number, width: number): void {
    const { renderer, size } = this;
    const { marks, errorRange, spacing } = this.content;
    const uniforms = this.material.uniforms;
    const bare = standIn !== null || ((shading === 'error' || shading === 'distance') && mesh.errors === null);
    const unmarked = shading === 'marks' && (mesh.uvs === null || marks === null);
    uniforms['errorRange'].value = Math.max(errorRange, 1e-12);
    uniforms['spacing'].value = shading === 'marks' ? 0 : spacing;
    if (marks) {
      uniforms['marks'].value = marks.texture;
      (uniforms['markTiles'].value as Float32Array).fill(0).set(marks.tiles);
    }
    renderer.setScissor(x, 0, width, size.height);
    renderer.setViewport(0, 0, size.width, size.height);
    renderer.autoClear = false;
    this.drawMesh(standIn ?? mesh, bare || unmarked ? 'form' : shading, LINE_COLOURS.first, this.seams.wire.visible ? BEHIND_SEAMS : 0);
    // the second surface's lines a hair nearer, so that lines on equal surfaces show
    if (lines && spacing > 0 && standIn === null) {
      this.lights.group.visible = false;
      this.drawMesh(lines, 'lines', LINE_COLOURS.second, -2);
      this.lights.group.visible = true;
    }
  }

  private drawMesh(mesh: DrawnMesh, shading: Shading, lineColour: (typeof LINE_COLOURS)['first'], nearer: number): void {
    const { material } = this;
    this.object.geometry = this.geometryOf(mesh);
    material.uniforms['mode'].value = modeOf(shading);
    material.uniforms['lineColour'].value = lineColour;
    material.polygonOffsetFactor = material.polygonOffsetUnits = nearer;
    this.renderer.render(this.scene, this.orbit.camera);
  }

  private geometryOf(mesh: DrawnMesh): BufferGeometry {
    let geometry = this.geometries.get(mesh);
    if (geometry === undefined) {
      geometry = new BufferGeometry();
      geometry.setAttribute('position', new BufferAttribute(mesh.positions, 3));
      geometry.setAttribute('normal', new BufferAttribute(mesh.normals, 3));
      // what a mesh has not reads as 0
      if (mesh.errors) geometry.setAttribute('error', new BufferAttribute(mesh.errors, 1));
      if (mesh.uvs) geometry.setAttribute('uv2', new BufferAttribute(mesh.uvs, 2));
      if (mesh.tiles) geometry.setAttribute('tile', new BufferAttribute(mesh.tiles, 1));
      geometry.setIndex(new BufferAttribute(mesh.index, 1));
      this.geometries.set(mesh, geometry);
      this.owned.add(geometry);
    }
    return geometry;
  }
}
