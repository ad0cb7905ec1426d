import type { AssetDetail, SpanInfo } from '@estampe/contracts';
import { densityNotes, densityOf } from './density';

const asset = { levelList: [{ faces: 10 }, { faces: 1000 }] } as unknown as AssetDetail;
const shot = { name: 'the quay at dawn', imageWidth: 4000, focalLength: 36, sensorWidth: 36, distance: 2000 }; // 2 px a unit
const span = (fields: object[]): SpanInfo => ({ settings: { toLevel: 1, size: 512 }, fields }) as unknown as SpanInfo;
const of = (covered: number, texelUnits: number | null) => densityOf(asset, span([{ covered, texelUnits }]), shot);

describe('texels against faces and pixels', () => {
  it('counts over all tiles, and knows no pixels where the texels have no length', () => {
    expect(densityOf(asset, span([{ covered: 3000, texelUnits: 0.1 }, { covered: 1000, texelUnits: 0.3 }]), shot)).toEqual({
      perFace: 4, texelUnits: expect.closeTo(0.15, 12) as number, perPixel: expect.closeTo(1 / 0.3, 12) as number,
    }); // prettier-ignore
    expect(of(4000, null)).toEqual({ perFace: 4, texelUnits: null, perPixel: null });
  });
  it('names the size that would hold the level or fill the shot, and says when less would do', () => {
    expect(densityNotes(of(16_000, 0.2), 512, shot)).toEqual([]);
    expect(densityNotes(of(1000, null), 512, shot)).toEqual([expect.stringMatching(/^Only 1 texels a face.*map of 1024/)]);
    expect(densityNotes(of(60, null), 512, shot)[0]).toMatch(/map of 8192/); // 16 times the side is 256 times the texels
    expect(densityNotes(of(65_000, null), 512, shot)[0]).toMatch(/half the size would hold it too/);
    expect(densityNotes(of(16_000, 0.5), 512, shot)[0]).toMatch(
      /^1 texels a pixel in the quay at dawn: two are wanted there, which a map of 1024/,
    );
    expect(densityNotes(of(16_000, 0.1), 512, shot)[0]).toMatch(/^5 texels a pixel .*more than the shot can show/);
    expect(densityNotes(of(16_000, 0.1), 512, null)).toEqual([]); // from a shot that nobody has set
  });
  it('never names a map that no tile can be', () => {
    const notes = densityNotes(of(16_000, 3), 8192, shot);
    expect(notes[0]).toMatch(
      /two are wanted there, which no single tile has; spread the islands over more tiles, or a greater distance\.$/,
    );
  });
});
