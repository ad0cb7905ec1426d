import { TestBed } from '@angular/core/testing';
import type { FindingInfo, JobInfo } from '@estampe/contracts';
import { sampleAsset, samplePart } from '../../../../test/samples';
import { Api } from '../../api/api';
import { of, throwError } from 'rxjs';
import { FileLooker } from '../../shared/bring-in/file-looker';
import { LowAgain } from '../../shared/low-again';
import { SculptCard } from './sculpt-card';

const asset = sampleAsset({
  diagonal: 1254.123,
  levelList: samplePart().levelList.slice(0, 2),
  findings: [
    { code: 'points-moved', severity: 'warning', count: 3, message: '3 points moved.', faces: [4, 9, 11] },
    { code: 'holes', severity: 'note', count: 1, message: '1 open border.', faces: [] },
  ],
});

async function render(jobs: JobInfo[] = []) {
  TestBed.configureTestingModule({
    providers: [
      { provide: Api, useValue: {} },
      { provide: FileLooker, useValue: {} },
    ],
  });
  const fixture = TestBed.createComponent(SculptCard);
  fixture.componentRef.setInput('asset', asset);
  fixture.componentRef.setInput('jobs', jobs);
  const lit: (readonly number[])[] = [];
  fixture.componentInstance.lit.subscribe(({ faces }) => lit.push(faces));
  await fixture.whenStable();
  const host = fixture.nativeElement as HTMLElement;
  const press = async (label: string): Promise<void> => {
    await fixture.whenStable();
    [...host.querySelectorAll('button')].find((b) => (b.getAttribute('aria-label') ?? b.textContent.trim()) === label)?.click();
    await fixture.whenStable();
  };
  return { fixture, host, lit, press };
}

describe('Sculpt card', () => {
  it('walks through the faces of a finding, round and round, and lights them all', async () => {
    const { host, lit, press } = await render();
    await press('Next face of points-moved');
    expect(host.textContent).toContain('1 of 3: face 4');
    await press('Next face of points-moved');
    await press('Next face of points-moved');
    await press('Next face of points-moved');
    await press('Previous face of points-moved');
    expect(host.textContent).toContain('3 of 3: face 11');
    await press('light 3');
    await press('Lights out');
    expect(lit).toEqual([[4], [9], [11], [4], [11], [4, 9, 11], []]);
  });
  it('offers no walk where there are no faces to show', async () => {
    const { host } = await render();
    expect(host.querySelectorAll('est-face-walk')).toHaveLength(1);
    expect(host.textContent).toContain('recognised by their connectivity');
  });
  it('leads from a finding to where something is done about it', async () => {
    const { fixture, press } = await render();
    const led: string[] = [];
    fixture.componentInstance.led.subscribe((step) => led.push(step));
    const found = (code: string): FindingInfo => ({ code, severity: 'note', count: 1, message: '', faces: [] });
    fixture.componentRef.setInput('asset', { ...asset, findings: [found('base-unsettled'), found('uv-margin'), found('holes')] });
    await press('Settle it in Levels');
    await press('Islands and seams are on the Sheet');
    expect(led).toEqual(['levels', 'sheet']);
  });
  it('says why a light mesh could not be taken again', async () => {
    const failed = {
      kind: 'low',
      assetId: 'a',
      partId: asset.part.id,
      state: 'failed',
      error: 'low.obj: this mesh has 9 points',
    } as JobInfo;
    expect((await render([failed])).host.querySelector('[role=alert]')?.textContent).toContain('9 points');
  });
});

describe('the light mesh again', () => {
  const drop = async (upload: Api['upload'], name = 'low.obj') => {
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { upload } }] });
    const fixture = TestBed.createComponent(LowAgain);
    const sent: unknown[] = [];
    fixture.componentInstance.sent.subscribe((u) => sent.push(u));
    await fixture.whenStable();
    const event = new Event('drop') as unknown as Record<string, unknown>;
    event['dataTransfer'] = { files: [new File(['v 0 0 0'], name)] };
    (fixture.nativeElement as HTMLElement).dispatchEvent(event as unknown as Event);
    await new Promise((resolve) => setTimeout(resolve, 10));
    await fixture.whenStable();
    return { sent, text: (fixture.nativeElement as HTMLElement).textContent };
  };
  it('is uploaded when it is dropped', async () => {
    const uploaded = { hash: 'h', name: 'low.obj', bytes: 7 };
    const { sent } = await drop(() => of({ fraction: 0.5 }, { uploaded }));
    expect(sent).toEqual([uploaded]);
  });
  it('is refused before it is sent, or says what went wrong on the way', async () => {
    let asked = 0;
    const { sent, text } = await drop(() => (asked++, of()), 'low.blend');
    expect([asked, sent.length]).toEqual([0, 0]);
    expect(text).toContain('low.blend is not a mesh that can be read');
    TestBed.resetTestingModule();
    expect((await drop(() => throwError(() => new Error('The line broke.')))).text).toContain('The line broke.');
  });
});
