import { TestBed } from '@angular/core/testing';
import type { EncodingSettings, FieldInfo, IslandEditRequest } from '@estampe/contracts';
import { Subject } from 'rxjs';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MatSliderThumbHarness } from '@angular/material/slider/testing';
import { rendered } from '../../../test/rendered';
import { sampleEncoding, sampleField } from '../../../test/samples';
import { ServerEvents } from '../api/server-events';
import { signal } from '@angular/core';
import { FieldBlocks } from '../shared/field-blocks';
import { FieldStore } from '../shared/field-store';
import { IslandPicking } from '../shared/island-picking';
import { MeshStore } from '../shared/mesh-store';
import type { LoadedField } from '../workers/field-messages';
import { Sheet } from './sheet';
import { cornerOf, tileAt, viewOf } from './sheet-tiles';

/** What was drawn: the picture that was put, and every line's start and end. */
const drawn = { puts: 0, rects: [] as number[][], lines: 0, image: null as ImageData | null };
class FakeImage {
  readonly data: Uint8ClampedArray;
  constructor(
    readonly width: number,
    readonly height: number,
  ) {
    this.data = new Uint8ClampedArray(4 * width * height);
  }
}
const BOX = { width: 200, height: 100 };

beforeAll(() => {
  Object.assign(globalThis, { ResizeObserver: class {
    constructor(private readonly heard: () => void) {}
    observe(): void { this.heard(); }
    disconnect(): void { return; }
  } }); // prettier-ignore
  Object.assign(HTMLElement.prototype, { setPointerCapture: () => undefined });
  Object.defineProperty(HTMLElement.prototype, 'clientWidth', { configurable: true, get: () => BOX.width });
  Object.defineProperty(HTMLElement.prototype, 'clientHeight', { configurable: true, get: () => BOX.height });
  HTMLElement.prototype.getBoundingClientRect = () => ({ left: 0, top: 0, ...BOX }) as DOMRect;
  const context = {
    canvas: BOX,
    createImageData: (w: number, h: number) => new FakeImage(w, h),
    putImageData: (image: ImageData) => Object.assign(drawn, { puts: drawn.puts + 1, image }),
    strokeRect: (...at: number[]) => drawn.rects.push(at),
    beginPath: () => undefined,
    moveTo: () => undefined,
    lineTo: () => drawn.lines++,
    closePath: () => undefined,
    fill: () => undefined,
    stroke: () => undefined,
  };
  HTMLCanvasElement.prototype.getContext = (() => context) as never;
});
beforeEach(() => Object.assign(drawn, { puts: 0, rects: [], lines: 0, image: null }));

const side = 4;
const loadedField = (change: Partial<LoadedField> = {}): LoadedField => {
  const channels = change.channels ?? 1;
  return {
    width: side,
    height: side,
    channels,
    kind: 'scalar',
    values: Float32Array.from({ length: channels * side * side }, (_, i) => i / 10),
    coverage: Uint8Array.from({ length: side * side }, (_, i) => (i === 5 ? 3 : 1)),
    histogram: { from: 0, to: 1, counts: new Uint32Array(1), total: 1 },
    ...change,
  };
};

interface Given {
  readonly field?: Partial<LoadedField>;
  readonly encoding?: EncodingSettings;
  readonly tiles?: number[];
  readonly measured?: number[];
  readonly fails?: string;
  /** A field whose values never come. */
  readonly stuck?: string;
  /** Side of a field that is looked at in blocks. */
  readonly large?: number;
  readonly light?: object;
}
let stream: Subject<unknown>;
/** Blocks that were asked for: level, then column and row. */
const asked: string[] = [];
async function render({ field, encoding, tiles = [1001], measured = [1001], fails, stuck, large, light }: Given = {}) {
  TestBed.resetTestingModule();
  stream = new Subject();
  TestBed.configureTestingModule({
    providers: [
      {
        provide: FieldStore,
        useValue: {
          load: ({ id }: FieldInfo) =>
            id === stuck
              ? new Promise(() => undefined)
              : fails === undefined
                ? Promise.resolve(loadedField(field))
                : Promise.reject(new Error(fails)),
        },
      },
      { provide: ServerEvents, useValue: { stream } },
      {
        provide: FieldBlocks,
        useValue: {
          arrived: signal(0),
          problem: signal(null),
          open: () =>
            Promise.resolve({
              width: large,
              height: large,
              channels: 1,
              picture: null,
              levels: [4, 2, 1].map((n) => ({ columns: n, rows: n })),
            }),
          block: (_id: string, level: number, x: number, y: number, wanted: boolean) => {
            if (wanted) asked.push(`${level}: ${x} ${y}`);
            return null;
          },
          texel: (_id: string, x: number, y: number) => Promise.resolve({ values: [x + y / 100], coverage: 4 }),
        },
      },
      {
        provide: MeshStore,
        useValue: { light: () => Promise.resolve(light ?? { uvLines: Float32Array.of(0, 0, 1, 0, 1, 0, 1, 1), islands: null }) },
      },
    ],
  });
  asked.length = 0;
  const page = await rendered(Sheet, {
    lowMeshId: 'm',
    fields: measured.map((tile) => sampleField({ id: `f${tile}`, tile, width: large ?? side, height: large ?? side, min: -1, max: 2, missed: 1, picturesHash: large === undefined ? null : 'h' })), // prettier-ignore
    encoding: encoding ?? null,
    unit: 'mm',
    tiles,
  });
  const box = page.host.querySelector('.box') as HTMLElement;
  /** Points at a texel of the Sheet through the view that fits all tiles. */
  const pointAt = async (x: number, y: number): Promise<void> => {
    const view = viewOf(tiles, large ?? side, BOX);
    const clientX = (x + 0.5 - view.x) * view.zoom + BOX.width / 2;
    const clientY = (y + 0.5 - view.y) * view.zoom + BOX.height / 2;
    box.dispatchEvent(new MouseEvent('pointermove', { clientX, clientY }));
    await page.settle();
  };
  const key = async (name: string): Promise<boolean> => {
    const event = new KeyboardEvent('keydown', { key: name, cancelable: true });
    box.dispatchEvent(event);
    await page.settle();
    return event.defaultPrevented;
  };
  return { ...page, box, pointAt, key, reading: () => page.host.querySelector('.read')?.textContent };
}

describe('the Sheet', () => {
  it('shows the UVs alone while nothing is measured, and says so', async () => {
    const page = await render({ measured: [] });
    expect(page.text()).toContain('UVs');
    expect(page.reading()).toBe('no map in this span yet');
    expect(page.box.getAttribute('aria-label')).toBe('Sheet with the UVs of the light mesh');
    expect(drawn.lines).toBeGreaterThan(0);
    expect(drawn.rects.length).toBeGreaterThan(0);
  });

  it('reads the texel under the pointer in scene units and as it is stored', async () => {
    const page = await render({ encoding: sampleEncoding({ depth: '8', midpoint: 0.5, scale: 4 }) });
    expect(page.reading()).toBe('point at a texel to read it');
    await page.pointAt(2, 1); // texel 6: 0.6 / 4 + 0.5, times 255
    expect(page.reading()).toBe('texel 2, 1  inside  height 0.6 mm  stored 166');
    await page.pointAt(1, 1);
    expect(page.reading()).toContain('missed');
    await page.pointAt(side, 0);
    expect(page.reading()).toBe('outside the tiles');
  });

  it('reads vectors in the order that is stored, each channel by its own range', async () => {
    const range = { midpoint: 0, scale: 1 };
    const encoding = sampleEncoding({
      depth: 'float',
      fileType: 'exr',
      axes: 'R=+U G=+N B=-V',
      each: [range, range, { midpoint: 0.5, scale: 2 }],
    });
    const page = await render({ field: { channels: 3, kind: 'vector' }, encoding });
    await page.pointAt(1, 0); // components 0.3, 0.4, 0.5 of U, V, N
    expect(page.reading()).toBe('texel 1, 0  inside  vector 0.3 0.4 0.5 mm  stored 0.3 0.5 0.3');
  });

  it('reads a normal with green as it is stored', async () => {
    const page = await render({
      field: { channels: 3, kind: 'normal' },
      encoding: sampleEncoding({ depth: 'float', midpoint: 0, scale: 1, green: 'down' }),
    });
    await page.pointAt(1, 0);
    expect(page.reading()).toBe('texel 1, 0  inside  normal 0.3000 0.4000 0.5000   stored 0.3 -0.4 0.5'.replace('   ', '  '));
    expect(page.host.querySelector('input[type=range]')).toBeNull(); // directions have no exposure
  });

  it('is exposed: white stands at the largest value, and half of it a stop up', async () => {
    const page = await render();
    expect(page.text()).toContain('white at 2 mm');
    await (await page.loader.getHarness(MatSliderThumbHarness)).setValue(1);
    await page.settle();
    expect(page.text()).toContain('white at 1 mm');
    expect(drawn.puts).toBeGreaterThan(1);
  });

  it('looks at all tiles or at one, and names the tile of a texel', async () => {
    const page = await render({ tiles: [1001, 1002, 1011], measured: [1001, 1002] });
    const choice = await page.loader.getHarness(MatSelectHarness);
    await choice.open();
    const options = await choice.getOptions();
    expect(await Promise.all(options.map((o) => o.getText()))).toEqual(['3 tiles', 'tile 1001', 'tile 1002', 'tile 1011']);
    await choice.close();
    await page.pointAt(side + 1, 2); // the second tile
    expect(page.reading()).toMatch(/^1002 texel 1, 2/);
    await page.pointAt(0, -1); // the row above: tiles run upwards
    expect(page.reading()).toBe('tile 1011 is not measured');
    expect(page.box.getAttribute('aria-label')).toMatch(/18000 texels covered, 2 missed/);
    drawn.rects = [];
    await choice.clickOptions({ text: 'tile 1002' });
    await page.settle();
    const [, second] = drawn.rects.slice(-3);
    expect(second[2]).toBeCloseTo(0.92 * BOX.height);
    expect(second[0] + second[2] / 2).toBeCloseTo(BOX.width / 2);
  });

  it('moves and zooms by keys, wheel and dragging, and Home shows all again', async () => {
    const page = await render();
    const outline = (): number[] => drawn.rects[drawn.rects.length - 1];
    const whole = outline();
    expect(await page.key('+')).toBe(true);
    expect(outline()[2]).toBeCloseTo(1.25 * whole[2]);
    await page.key('ArrowRight');
    expect(outline()[0]).toBeLessThan(whole[0]);
    await page.key('Home');
    expect(outline()).toEqual(whole);
    expect(await page.key('x')).toBe(false);
    page.box.dispatchEvent(new WheelEvent('wheel', { deltaY: -400, clientX: 0, clientY: 0, cancelable: true }));
    await page.settle();
    expect(outline()[2]).toBeGreaterThan(whole[2]);
    await page.key('Home');
    page.box.dispatchEvent(new MouseEvent('pointerdown', { clientX: 10, clientY: 10 }));
    page.box.dispatchEvent(new MouseEvent('pointermove', { clientX: 25, clientY: 4, buttons: 1 }));
    await page.settle();
    expect([outline()[0] - whole[0], outline()[1] - whole[1]].map((d) => Math.round(d))).toEqual([15, -6]);
  });

  it('chooses islands, several with Shift, and asks for where they were dragged to', async () => {
    // two squares, each an island, side by side: the lower half of the tile
    const square = (u: number): number[] => [u, 0, u + 0.5, 0, u + 0.5, 0, u + 0.5, 0.5, u + 0.5, 0.5, u, 0.5, u, 0.5, u, 0];
    const light = { uvLines: Float32Array.from([...square(0), ...square(0.5)]), uvLinesOfFaces: Uint32Array.of(0, 4, 8), islands: Uint32Array.of(0, 1), uvLayers: null }; // prettier-ignore
    const page = await render({ light });
    const picking = TestBed.inject(IslandPicking);
    picking.open.set(true);
    const edits: IslandEditRequest[] = [];
    picking.edits.subscribe((edit) => edits.push(edit));
    const { x, y, zoom } = viewOf([1001], side, BOX);
    const at = (u: number, v: number) => ({ clientX: (u * side - x) * zoom + BOX.width / 2, clientY: ((1 - v) * side - y) * zoom + BOX.height / 2 }); // prettier-ignore
    const send = (type: string, u: number, v: number, more: MouseEventInit = {}): void =>
      void page.box.dispatchEvent(new MouseEvent(type, { ...at(u, v), button: 0, ...more }));
    const press = (u: number, v: number, more: MouseEventInit = {}): void => {
      send('pointerdown', u, v, more);
      send('pointerup', u, v, more);
    };
    press(0.25, 0.25);
    expect(picking.faces()).toEqual([0]);
    press(0.75, 0.25, { shiftKey: true });
    expect(picking.faces()).toEqual([0, 1]);
    press(0.25, 0.25, { shiftKey: true });
    expect(picking.faces()).toEqual([1]);
    send('pointerdown', 0.75, 0.25);
    send('pointermove', 0.5, 0.75, { buttons: 1 });
    await page.settle();
    send('pointerup', 0.5, 0.75);
    expect(edits).toMatchObject([{ op: 'move', faces: [1] }]);
    if (edits[0].op === 'move') expect(edits[0].by.map((d) => Number(d.toFixed(6)))).toEqual([-0.25, 0.5]);
    press(0.5, 0.9);
    expect(picking.faces()).toEqual([]);
  });

  it('hides the UV edges, and shows relief only of single values', async () => {
    const page = await render();
    const before = drawn.lines;
    expect(before).toBeGreaterThan(0);
    await page.tick('UV edges');
    expect(drawn.lines).toBe(before);
    await page.tick('relief');
    expect(await (await page.tickBox('relief')).isChecked()).toBe(true);
    expect((await render({ field: { channels: 3, kind: 'vector' } })).text()).not.toContain('relief');
  });

  it('shows nothing of one map while another is read', async () => {
    const page = await render({ stuck: 'next' });
    await page.pointAt(2, 1);
    expect(page.reading()).toContain('height 0.6 mm');
    await page.set({ fields: [sampleField({ id: 'next', width: side, height: side })] });
    await page.pointAt(2, 1);
    expect(page.reading()).toBe('tile 1001 is being read');
    expect(page.host.querySelector('.message')?.textContent).toContain('Loading the field');
  });

  it('looks at a large field in the blocks that can be seen, and reads the texel under the pointer from the field itself', async () => {
    const page = await render({ large: 1024 });
    // a tile of 1024 in a canvas of some hundred pixels: one block of the coarsest level, nothing finer
    expect(new Set(asked)).toEqual(new Set(['2: 0 0']));
    asked.length = 0;
    for (let k = 0; k < 8; k++) await page.key('+');
    const fine = asked.filter((block) => block.startsWith('0: '));
    expect(fine.length).toBeGreaterThan(0);
    expect(new Set(fine).size).toBeLessThan(16);
    await page.key('Home');
    await page.pointAt(700, 20);
    expect(page.reading()).toContain('texel 700, 20  doubtful  height 700.2 mm');
  });

  it('says why a field cannot be shown', async () => {
    const page = await render({ fails: 'The field could not be loaded from the server; load the page again.' });
    expect(page.host.querySelector('.message')?.textContent).toContain('load the page again');
  });
});

describe('places of tiles on the Sheet', () => {
  it('are numbered ten in a row, rows upwards, and found back from any texel', () => {
    for (const tile of [1001, 1010, 1011, 1025, 1999]) {
      const [x, y] = cornerOf(tile, 16);
      expect(tileAt(x + 3, y + 5, 16)).toEqual({ tile, x: 3, y: 5 });
    }
    expect(tileAt(-1, 0, 16).tile).toBe(0);
    expect(tileAt(160, 0, 16).tile).toBe(0);
    expect(tileAt(0, 16, 16).tile).toBe(0);
  });
});
