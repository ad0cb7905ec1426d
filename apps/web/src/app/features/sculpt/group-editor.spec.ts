import { TestBed } from '@angular/core/testing';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { MatMenuHarness } from '@angular/material/menu/testing';
import type { SetGroups } from '@estampe/contracts';
import { faceGroups, faceLinks, polyMesh } from '@estampe/core';
import { rendered } from '../../../../test/rendered';
import { FaceMarking } from '../../shared/face-marking';
import { MeshStore } from '../../shared/mesh-store';
import { GroupEditor } from './group-editor';

/** A strip of four quads, the last standing upright; the first two are a group. */
const strip = polyMesh({
  positions: Float32Array.from([0, 1, 2, 3, 3].flatMap((x, i) => [x, 0, i === 4 ? 1 : 0, x, 1, i === 4 ? 1 : 0])),
  faceOffsets: new Uint32Array([0, 4, 8, 12, 16]),
  faceVerts: new Uint32Array([0, 2, 3, 1, 2, 4, 5, 3, 4, 6, 7, 5, 6, 8, 9, 7]),
  sections: ['', 'cap'].map((group) => ({ object: '', group, material: '', smoothing: '' })),
  faceSections: new Uint16Array([1, 1, 0, 0]),
});
const meshes = { faces: () => Promise.resolve({ groups: faceGroups(strip), links: faceLinks(strip) }) };

async function render(made: SetGroups['groups'] | null = null) {
  TestBed.configureTestingModule({ providers: [{ provide: MeshStore, useValue: meshes }] });
  const sent: SetGroups[] = [];
  const page = await rendered(GroupEditor, { meshId: 'm', made, faces: 4 }, (editor) => editor.grouped.subscribe((s) => sent.push(s)));
  await page.settle();
  const marking = TestBed.inject(FaceMarking);
  const marked = (): number[] => [...(marking.marked() ?? [])].flatMap((m, f) => (m === 1 ? [f] : []));
  const menu = async (group: string, item: string): Promise<void> => {
    const more = await page.loader.getHarness(MatMenuHarness.with({ selector: `[aria-label="More about group ${group}"]` }));
    await more.open();
    await more.clickItem({ text: new RegExp(item) });
  };
  return { ...page, sent, marking, marked, menu };
}

describe('groups of faces', () => {
  it('are listed with their faces, and marked by their name', async () => {
    const { text, press, marked, marking } = await render();
    expect(text()).toContain('cap2');
    expect(text()).toContain('no group2');
    await press('no group');
    expect(marked()).toEqual([2, 3]);
    expect(text()).toContain('2 of 4 faces marked');
    expect(marking.colourOf()?.(2)).toEqual([201, 141, 28]);
    expect(marking.colourOf()?.(0)).toEqual([230, 211, 168]);
  });

  it('are flooded up to creases and borders, grown, shrunk and turned over', async () => {
    const { press, tick, marking, marked, enter } = await render();
    marking.flood(2, 'instead');
    expect(marked()).toEqual([2]);
    await tick('up to borders of groups');
    marking.flood(2, 'instead');
    expect(marked()).toEqual([0, 1, 2]);
    await enter('Bent by more than', '95');
    marking.flood(0, 'instead');
    expect(marked()).toEqual([0, 1, 2, 3]);
    marking.mark([0, 1], 'take away');
    await press('Shrink');
    expect(marked()).toEqual([3]);
    await press('Grow');
    marking.mark([0], 'add');
    expect(marked()).toEqual([0, 2, 3]);
    await press('The rest');
    expect(marked()).toEqual([1]);
    await press('None');
    expect(marked()).toEqual([]);
  });

  it('get marked faces, other names, or go; each time all groups are sent with what was done', async () => {
    const { sent, marking, enter, press, button, menu, loader } = await render();
    expect(button('Put them in').disabled).toBe(true);
    marking.mark([3], 'instead');
    const box = await loader.getHarness(MatAutocompleteHarness);
    await box.focus();
    expect(await Promise.all((await box.getOptions()).map((o) => o.getText()))).toEqual(['cap']);
    await enter('Group', ' wall ');
    await press('Put them in');
    expect(sent.at(-1)).toEqual({ title: '1 faces into group wall', groups: { names: ['', 'cap', 'wall'], runs: [2, 1, 1, 0, 1, 2] } }); // prettier-ignore
    expect(marking.count()).toBe(0);
    await menu('cap', 'Dissolve');
    expect(sent.at(-1)).toEqual({ title: 'group cap dissolved', groups: { names: [''], runs: [4, 0] } });
  });

  it('are those that were made here where there are some, and close with the panel', async () => {
    const { text, fixture, marking } = await render({ names: ['', 'rim'], runs: [1, 0, 3, 1] });
    expect(text()).toContain('rim3');
    fixture.destroy();
    expect(marking.marked()).toBeNull();
  });
});
