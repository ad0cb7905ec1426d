import { TestBed } from '@angular/core/testing';
import type { ProofInfo } from '@estampe/contracts';
import { sampleField } from '../../../test/samples';
import { FieldStore } from '../shared/field-store';
import { LevelBrushing } from '../shared/level-brushing';
import { MeshStore } from '../shared/mesh-store';
import { BRUSH_WORKER } from '../workers/worker-tokens';
import { FaceMarking } from '../shared/face-marking';
import { SeamPicking } from '../shared/seam-picking';
import { ShownUvColours } from '../shared/uv-colours';
import type { Marks } from '../workers/field-messages';
import type { DrawnMesh } from '../workers/mesh-messages';
import { Stage } from './stage';
import type { StageContent } from './stage-ref';
import type { StageSource } from './stage-view';
import { coarserOf, errorRangeOf, niceStep, viewsOf } from './stage-view';

/** What the view without Angular is told; the drawing itself is looked at in the browser. */
const mockTold: { content: StageContent | null; wipe: number; turns: number[][]; moves: number[][]; flights: unknown[][]; disposed: boolean; painted: readonly number[] | null; seams: Uint32Array | null; squares: string | null; movedIn: string; standIn: (shown: boolean) => void } = {
  content: null, wipe: 0, turns: [], moves: [], flights: [], disposed: false, painted: null, seams: null, squares: null, movedIn: '', standIn: () => undefined,
}; // prettier-ignore
jest.mock('./stage-ref', () => ({
  StageRef: class {
    constructor(_canvas: unknown, onStandIn: (shown: boolean) => void) {
      mockTold.standIn = onStandIn;
    }
    orbit = {
      turn: (...by: number[]) => mockTold.turns.push(by),
      move: (...by: number[]) => mockTold.moves.push(by),
      nearer: () => undefined,
    };
    lights = {
      lightFaces: (_mesh: unknown, faces: number[]) => (faces.length === 0 ? null : { position: [1, 2, 3], normal: [0, 0, 1], radius: 4 }),
      point: () => undefined,
      clear: () => undefined,
    };
    paint = {
      paint: (_mesh: unknown, colourOf: ((face: number) => readonly number[]) | null) => (mockTold.painted = colourOf?.(0) ?? null),
    };
    seams = {
      show: (_places: unknown, ends: Uint32Array | null) => (mockTold.seams = ends),
      showAll: () => undefined,
    };
    facesSeen = () => ({ ids: Uint32Array.from([0, 0, 3, 3, 0, 0, 3, 3]), width: 4, height: 2 });
    placeOnView = (x: number, y: number) => ({ x, y });
    checker = { show: (mesh: { name: string } | null) => (mockTold.squares = mesh?.name ?? null) };
    setContent = (content: StageContent) => (mockTold.content = content);
    setWipe = (share: number) => (mockTold.wipe = share);
    setLight = () => undefined;
    flyTo = (...to: unknown[]) => mockTold.flights.push(to);
    moved = () => undefined;
    pixelsOf = (length: number) => 10 * length;
    movedPoints = (mesh: { name: string }) => (mockTold.movedIn = mesh.name);
    redraw = () => undefined;
    frameAll = () => undefined;
    resize = () => undefined;
    dispose = () => (mockTold.disposed = true);
  },
}));

beforeAll(() => {
  Object.assign(globalThis, { ResizeObserver: class { observe(): void { return; } disconnect(): void { return; } } }); // prettier-ignore
  Object.assign(HTMLElement.prototype, { setPointerCapture: () => undefined });
});

/** A mesh that comes when it is let. */
let come: (mesh: DrawnMesh) => void = () => undefined;
let late = Promise.resolve({} as DrawnMesh);
const named = (name: string): DrawnMesh =>
  ({
    name,
    positions: Float32Array.of(0, 0, 0, 2, 0, 0, 4, 0, 0, 2, 2, 0),
    uvLayers: { stretch: [0], density: [1] },
  }) as unknown as DrawnMesh;
/** A triangle at (2, 0), (4, 0), (2, 2), the third of three faces. */
const seams = { faceOffsets: Uint32Array.of(0, 0, 0, 3), faceVerts: Uint32Array.of(1, 2, 3), edges: { cornerEdges: Uint32Array.of(0, 1, 2), edgeVerts: Uint32Array.of(1, 2, 2, 3, 3, 1), edgeFaceCounts: Uint8Array.of(2, 2, 2) }, seam: new Uint8Array(3) }; // prettier-ignore
const links = { starts: new Uint32Array(4), faces: new Uint32Array(), bend: new Float32Array(), kind: new Uint8Array() };
const meshes = {
  faces: () => Promise.resolve({ groups: { names: [''], of: new Uint16Array(3) }, links }),
  seams: () => Promise.resolve(seams),
  level: (id: string) => (id === 'slow' ? late : id === 'lost' ? Promise.reject(new Error('lost.obj is no longer there; bring it in again.')) : Promise.resolve(named(id))),
  light: (id: string) => Promise.resolve(named(id)),
  sheeted: (id: string) => Promise.resolve(named(`sheeted ${id}`)),
  proof: ({ meshHash }: ProofInfo) => Promise.resolve(named(meshHash)),
}; // prettier-ignore
const marks: Marks = { width: 1, height: 1, classes: new Uint8Array(1), missed: 12, doubtful: 0, clipped: 3456 } as unknown as Marks;

const proofOf = (outcome: object): ProofInfo => ({ meshHash: 'displaced', errorsHash: 'e', outcome }) as unknown as ProofInfo;
const heights = proofOf({ kind: 'scalar', report: { distance: { p99: 0.5 }, tolerance: 2 } });
const angles = proofOf({ kind: 'normal', report: { normalAngle: { p95: 3 }, tolerance: null } });
const values = proofOf({ kind: 'values', report: {} });
const source: StageSource = {
  lowMeshId: 'low', sculptMeshId: 'top', sculptLabel: 'level 5', coarseMeshId: null, coarseLabel: 'level 2', sheetedMeshId: 'low', proofCoarser: 0,
  fields: [sampleField()], encoding: null, proof: heights, unit: 'mm', up: 'y', diagonal: 900,
}; // prettier-ignore

async function render(changes: Partial<StageSource> = {}) {
  const fields = { marks: () => Promise.resolve(marks) };
  TestBed.configureTestingModule({
    providers: [
      { provide: MeshStore, useValue: meshes },
      { provide: FieldStore, useValue: fields },
      { provide: BRUSH_WORKER, useValue: () => ({ postMessage: () => undefined }) },
    ],
  });
  const fixture = TestBed.createComponent(Stage);
  fixture.componentRef.setInput('source', { ...source, ...changes });
  const settle = async (): Promise<void> => {
    for (let k = 0; k < 3; k++) {
      await new Promise((resolve) => setTimeout(resolve, 5));
      await fixture.whenStable();
    }
  };
  await settle();
  const host = fixture.nativeElement as HTMLElement;
  const button = (name: string): HTMLButtonElement | undefined =>
    [...host.querySelectorAll('button')].find((b) => (b.getAttribute('aria-label') ?? b.textContent.trim()) === name);
  const press = async (name: string): Promise<void> => {
    button(name)?.click();
    await settle();
  };
  const sides = () => ({
    left: (mockTold.content?.left?.mesh as unknown as { name: string } | undefined)?.name,
    right: (mockTold.content?.right?.mesh as unknown as { name: string } | undefined)?.name ?? null,
    shading: (mockTold.content?.right ?? mockTold.content?.left)?.shading,
  });
  const labels = () => [...host.querySelectorAll('.label')].map((l) => l.textContent);
  return { fixture, host, settle, button, press, sides, labels, text: () => host.textContent.replace(/\s+/g, ' ') };
}

describe('the Stage', () => {
  it('shows the sculpt alone, then each view beside it, with the names over their sides', async () => {
    const stage = await render();
    expect(stage.sides()).toEqual({ left: 'top', right: null, shading: 'form' });
    await stage.press('proof');
    expect(stage.sides()).toEqual({ left: 'top', right: 'displaced', shading: 'form' });
    expect(stage.labels()).toEqual(['level 5', 'proof']);
    await stage.press('error');
    expect(stage.sides()).toEqual({ left: 'top', right: 'displaced', shading: 'error' });
    expect(stage.text()).toContain('+2 mm');
    await stage.press('Size only');
    expect(stage.sides().shading).toBe('distance');
    await stage.press('Wipe');
    expect(stage.sides()).toEqual({ left: 'displaced', right: null, shading: 'distance' });
    stage.fixture.destroy();
    expect(mockTold.disposed).toBe(true);
  });
  it('draws a proof coarser that is too dense for a browser, and says so', async () => {
    const at = (subdivisions: number): ProofInfo => proofOf({ kind: 'scalar', report: { ...heights.outcome.report, subdivisions } });
    expect([coarserOf(at(5), 16_384), coarserOf(at(5), 1536), coarserOf(at(8), 1536), coarserOf(at(1), 9e6)]).toEqual([1, 0, 2, 0]);
    expect([coarserOf(null, 1e6), coarserOf(angles, 9e6), coarserOf(values, 9e6)]).toEqual([0, 0, 0]);
    const stage = await render({ proof: at(5), proofCoarser: 1 });
    await stage.press('proof');
    expect(stage.labels()).toEqual(['level 5', 'proof, 4 subdivisions']);
  });
  it('shows a lighter rung until a heavy sculpt has come and while the camera moves, and says which', async () => {
    late = new Promise((resolve) => (come = resolve));
    const stage = await render({ proof: null, sculptMeshId: 'slow', coarseMeshId: 'light rung' });
    expect(stage.sides().left).toBe('light rung');
    expect(stage.text()).toContain('level 5 is coming; level 2 is shown');
    come(named('top'));
    await stage.settle();
    expect([stage.sides().left, stage.labels()]).toEqual(['top', ['level 5']]);
    mockTold.standIn(true);
    await stage.settle();
    expect(stage.labels()).toEqual(['level 2, while it moves']);
  });
  it('shows what has just been proven, even where it is told before its proof is there', async () => {
    const stage = await render({ proof: null });
    stage.fixture.componentInstance.wiping.set(false);
    stage.fixture.componentInstance.showProof(heights);
    stage.fixture.componentRef.setInput('source', source);
    await stage.settle();
    expect(stage.sides()).toMatchObject({ left: 'top', right: 'displaced' });
    stage.fixture.componentInstance.showProof(angles); // where nothing moves, the angles
    stage.fixture.componentRef.setInput('source', { ...source, proof: angles });
    await stage.settle();
    expect(stage.sides().shading).toBe('distance');
    stage.fixture.componentInstance.showProof(values); // nothing to see: what was shown stays
    await stage.settle();
    expect(stage.sides().shading).toBe('distance');
  });
  it('exchanges the sides, flickers while held, and moves the wipe by keys within its ends', async () => {
    const stage = await render();
    await stage.press('light mesh');
    stage.fixture.componentInstance.exchange();
    await stage.settle();
    expect(stage.labels()).toEqual(['light mesh', 'level 5']);
    stage.fixture.componentInstance.startFlicker();
    await stage.settle();
    expect([stage.sides().left, stage.sides().right, stage.labels()]).toEqual(['top', null, ['level 5']]);
    stage.fixture.componentInstance.stopFlicker();
    await stage.settle();
    const slider = stage.host.querySelector('est-wipe-handle');
    for (let k = 0; k < 40; k++) slider?.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight' }));
    await stage.settle();
    expect(slider?.getAttribute('aria-valuenow')).toBe('100');
    expect(mockTold.wipe).toBe(1);
  });
  it('turns and moves with the mouse and turns with the arrow keys', async () => {
    const stage = await render();
    const box = stage.host.querySelector('.box') as HTMLElement;
    Object.defineProperty(box, 'clientHeight', { value: 400 });
    mockTold.turns = [];
    const at = (type: string, x: number, shiftKey = false) =>
      box.dispatchEvent(new MouseEvent(type, { clientX: x, clientY: 0, shiftKey, button: 0 }));
    at('pointerdown', 0);
    at('pointermove', 100);
    at('pointerup', 100);
    at('pointermove', 200); // no longer held
    expect(mockTold.turns).toEqual([[1, 0]]);
    at('pointerdown', 0, true);
    at('pointermove', 40);
    expect(mockTold.moves).toEqual([[0.1, 0]]);
    box.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp' }));
    expect(mockTold.turns.at(-1)).toEqual([0, -0.12]);
  });
  it('flies to lit faces and to places, and lays the marks with their counts', async () => {
    const stage = await render();
    stage.fixture.componentInstance.showFaces([3]);
    await stage.settle();
    expect(stage.sides().left).toBe('low');
    expect(mockTold.flights.at(-1)).toEqual([[1, 2, 3], [0, 0, 1], 54]); // 6 % of 900 is more than 2.5 times the radius
    await stage.press('marks');
    expect(stage.sides()).toMatchObject({ left: 'sheeted low', shading: 'marks' });
    expect(stage.text()).toMatch(/missed ?12.*clipped ?3 ?456/);
  });
  it('reads tile by tile for its marks, says so, and stops with the view', async () => {
    const fields = ['f', 'g', 'h'].map((id, i) => sampleField({ id, tile: 1001 + i }));
    const stage = await render({ fields });
    const waiting: { id: string; come: () => void }[] = [];
    const store = TestBed.inject(FieldStore);
    store.marks = ({ id }) => new Promise((resolve) => waiting.push({ id, come: () => resolve(marks) }));
    await stage.press('marks');
    expect(stage.text()).toContain('Looking for texels of note, tile 1 of 3');
    waiting[0].come();
    await stage.settle();
    expect(stage.text()).toContain('tile 2 of 3');
    await stage.press('sculpt');
    expect(stage.text()).not.toContain('Looking for');
    waiting[1].come();
    await stage.settle();
    expect(waiting.map((w) => w.id)).toEqual(['f', 'g']);
    expect(stage.text()).not.toContain('Looking for');
  });
  it('colours the light mesh by its UVs, and nothing else', async () => {
    const stage = await render();
    const { by } = TestBed.inject(ShownUvColours);
    expect(mockTold.painted).toBeNull();
    by.set('density');
    await stage.settle();
    expect([stage.sides().left, mockTold.painted]).toEqual(['low', [168, 58, 42]]); // four times as many texels as the mean
    await stage.press('sculpt');
    expect(mockTold.painted).toBeNull();
    by.set('squares');
    await stage.settle();
    expect([mockTold.squares, mockTold.painted]).toEqual(['sheeted low', null]);
    await stage.press('sculpt');
    expect(mockTold.squares).toBeNull();
  });
  it('marks faces and picks edges of the light mesh with the left button while a step asks for it', async () => {
    const stage = await render();
    const box = stage.host.querySelector('.box') as HTMLElement;
    // what is seen: face 2 in the two right columns
    const press = (x: number, y: number, more: MouseEventInit = {}): void => {
      for (const type of ['pointerdown', 'pointerup']) {
        const event = new MouseEvent(type, { button: 0, ...more });
        Object.defineProperties(event, { offsetX: { value: x }, offsetY: { value: y } });
        box.dispatchEvent(event);
      }
    };
    const marking = TestBed.inject(FaceMarking);
    await marking.open('low', null);
    await stage.settle();
    expect(stage.sides().left).toBe('low');
    press(2, 0);
    expect([...(marking.marked() ?? [])]).toEqual([0, 0, 1]);
    press(0, 0, { shiftKey: true });
    expect(marking.count()).toBe(1);
    press(2, 1, { altKey: true });
    expect(marking.count()).toBe(0);
    marking.close();
    const picking = TestBed.inject(SeamPicking);
    await picking.open('low');
    press(3, 0.1);
    await stage.settle();
    expect([...(mockTold.seams ?? [])].sort()).toEqual([1, 2]);
    press(3, 0.1);
    await stage.settle();
    expect(mockTold.seams).toHaveLength(0);
  });
  it('marks and picks what is in the middle by keys, and shows where that is', async () => {
    const stage = await render();
    const box = stage.host.querySelector('.box') as HTMLElement;
    Object.defineProperties(box, { clientWidth: { value: 6 }, clientHeight: { value: 1 } });
    const key = (name: string, more: KeyboardEventInit = {}) => box.dispatchEvent(new KeyboardEvent('keydown', { key: name, ...more }));
    key('Enter');
    await stage.settle();
    expect(stage.host.querySelector('.lasso circle')).toBeNull();
    const marking = TestBed.inject(FaceMarking);
    await marking.open('low', null);
    key('Enter');
    await stage.settle();
    expect([...(marking.marked() ?? [])]).toEqual([0, 0, 1]);
    expect(['cx', 'cy', 'r'].map((name) => stage.host.querySelector('.lasso circle')?.getAttribute(name))).toEqual(['3', '0.5', '6']);
    key(' ', { altKey: true });
    expect(marking.count()).toBe(0);
    marking.tool.set('lasso'); // a circle about the middle, wider than all that is seen
    key('Enter', { shiftKey: true });
    expect([...(marking.marked() ?? [])]).toEqual([0, 0, 1]);
    marking.close();
    const picking = TestBed.inject(SeamPicking);
    await picking.open('low');
    key('Enter');
    await stage.settle();
    expect(mockTold.seams).toHaveLength(2);
    mockTold.moves = [];
    key('ArrowRight', { shiftKey: true });
    expect(mockTold.moves).toEqual([[-0.06, -0]]);
    box.dispatchEvent(new FocusEvent('blur'));
    await stage.settle();
    expect(stage.host.querySelector('.lasso circle')).toBeNull();
  });
  it('brushes over the finest level with the left button, point by point, and lights faces of that level', async () => {
    const stage = await render();
    const brushing = TestBed.inject(LevelBrushing);
    const over: [number, boolean][] = [];
    brushing.over = (point, goesOn) => void over.push([point, goesOn]);
    const index = Uint32Array.from({ length: 18 }, (_, i) => (i < 12 ? 0 : i % 2 === 0 ? 1 : 2));
    brushing.level.set({ meshId: 'top', mesh: { ...named('brushed'), index }, groups: [] });
    brushing.settings.update((s) => ({ ...s, radius: 3 }));
    await stage.settle();
    expect([stage.sides().left, stage.labels()[0]]).toEqual(['brushed', 'level 5, under the brush']);
    const box = stage.host.querySelector('.box') as HTMLElement;
    const at = (type: string, x: number): void => {
      const event = new MouseEvent(type, { button: 0 });
      Object.defineProperties(event, { offsetX: { value: x }, offsetY: { value: 0 } });
      box.dispatchEvent(event);
    };
    // face 2 is seen in the two right columns; its corners are at 2 and 4
    at('pointerdown', 2);
    at('pointermove', 2.5);
    at('pointermove', -9.6);
    at('pointerup', -9.6);
    at('pointermove', 2);
    await stage.settle();
    expect(over).toEqual([[1, false]]);
    expect(stage.host.querySelector('.lasso circle')?.getAttribute('r')).toBe('30');
    brushing.turn.update((n) => n + 1);
    await stage.settle();
    expect(mockTold.movedIn).toBe('brushed');
    brushing.close();
    stage.fixture.componentInstance.showFaces([3], true);
    await stage.settle();
    expect([stage.sides().left, mockTold.flights.at(-1)]).toEqual(['top', [[1, 2, 3], [0, 0, 1], 54]]);
  });
  it('says which file could not be drawn', async () => {
    expect((await render({ sculptMeshId: 'lost' })).text()).toContain('lost.obj is no longer there; bring it in again.');
  });
});

describe('what a proof offers to look at', () => {
  it('is a displaced mesh for heights, an angle for normals, nothing for values', () => {
    expect(viewsOf({ ...source, proof: heights, fields: source.fields })).toEqual(['sculpt', 'light mesh', 'proof', 'error', 'marks']);
    expect(viewsOf({ ...source, proof: angles, fields: [] })).toEqual(['sculpt', 'light mesh', 'error']);
    expect(viewsOf({ ...source, proof: values, fields: source.fields })).toEqual(['sculpt', 'light mesh', 'marks']);
  });
  it('ends its colours at the tolerance, or where nearly all errors lie', () => {
    expect(errorRangeOf(heights)).toBe(2);
    expect(errorRangeOf(angles)).toBe(6);
    expect(errorRangeOf(null)).toBe(1);
  });
  it('draws level lines at spacings that can be read', () => {
    expect([0.9, 1, 1.1, 3, 7, 0.03].map(niceStep)).toEqual([1, 1, 2, 5, 10, 0.05]);
  });
});
