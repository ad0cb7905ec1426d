import type { Field, Raster } from '@estampe/core';
import { checkMesh, decodeMap, encodeMap, extractTile, extremesOf, faceCount, faceTiles, fieldRecord, fitEncoding, stackLevel, PLAIN_ORDER, prepareSpan, proveDisplacement, requireUvs } from '@estampe/core'; // prettier-ignore
import { quayStone, quayStoneBase } from '../src';

describe('Tiled quay stone', () => {
  it('has a clean light mesh: 1120 quads, closed, in one piece, no face in two tiles', () => {
    const base = quayStoneBase();
    expect(checkMesh(base)).toMatchObject({
      faces: 1120,
      points: 1122,
      tiles: [1001, 1002, 1011, 1012],
      findings: [{ code: 'uv-uneven' }],
    });
    const { uvs, faceUvs } = requireUvs(base);
    const tiles = faceTiles(base, uvs, faceUvs);
    // as many faces in every tile, and UVs that turn the same way as the faces
    for (const tile of [1001, 1002, 1011, 1012]) expect(tiles.filter((t) => t === tile)).toHaveLength(280);
    for (let f = 0; f < faceCount(base); f++) {
      const [a, b, , d] = [0, 1, 2, 3].map((k) => 2 * faceUvs[4 * f + k]);
      const area = (uvs[b] - uvs[a]) * (uvs[d + 1] - uvs[a + 1]) - (uvs[d] - uvs[a]) * (uvs[b + 1] - uvs[a + 1]);
      expect(area).toBeGreaterThan(1e-4);
    }
  });

  it('is one island over the borders of its tiles: points there have one UV, whichever tile the face is in', () => {
    const base = quayStoneBase();
    const { faceUvs, uvs } = requireUvs(base);
    const byPoint = new Map<number, Set<number>>();
    for (let c = 0; c < faceUvs.length; c++)
      if (uvs[2 * faceUvs[c]] === 1) byPoint.set(base.faceVerts[c], (byPoint.get(base.faceVerts[c]) ?? new Set()).add(faceUvs[c]));
    expect(byPoint.size).toBeGreaterThanOrEqual(21);
    for (const own of byPoint.values()) expect(own.size).toBe(1);
  });

  it('is a stack with point colours that comes out the same every time', () => {
    const levels = quayStone(2);
    expect(levels.map(faceCount)).toEqual([1120, 4480, 17920]);
    expect(stackLevel(levels[0], levels[2])?.levels).toBe(2);
    expect(quayStone(2)[2].positions).toEqual(levels[2].positions);
    expect(levels[2].colors).toHaveLength(levels[2].positions.length);
    expect(Math.min(...(levels[2].colors ?? []))).toBeGreaterThan(0.2);
  });

  it('has no line across its tiles: with matched seams and one range, the gap is under one step of sixteen bits', async () => {
    const [low, , sculpt] = quayStone(2);
    const prove = async (matchSeams: boolean) => {
      const span = prepareSpan(low, sculpt, { width: 256, height: 256, matchSeams });
      const fields = new Map<number, Field>();
      for (const tile of span.tiles) fields.set(tile, (await extractTile(span, tile)).fields.get('scalar') as Field);
      const wish = { kind: 'scalar', depth: '16', fit: null, midpoint: null, scale: null, axes: PLAIN_ORDER, each: false } as const;
      const encoding = fitEncoding([...fields.values()], wish);
      expect(fitEncoding([...fields.values()].map(extremesOf), wish)).toEqual(encoding); // the same without all tiles in memory
      const convention = { green: 'up', keepBlue: true, axes: PLAIN_ORDER } as const;
      const maps = new Map<number, Raster>();
      for (const [tile, field] of fields) {
        const record = fieldRecord(span, 'scalar', tile, field, { unit: 'mm', lowHash: '' });
        maps.set(tile, decodeMap(encodeMap(field, record, encoding, null, convention).map));
      }
      const { report } = await proveDisplacement({ low, sculpt, maps }, { subdivisions: 2, midpoint: 0, scale: 1 });
      return { gap: report.seamGap, rms: report.distance.rms, step: encoding.scale / 65535 };
    };
    const [plain, matched] = [await prove(false), await prove(true)];
    expect(plain.gap.max).toBeGreaterThan(100 * plain.step);
    expect(matched.gap.max).toBeLessThan(matched.step);
    expect(matched.rms).toBeLessThan(1.01 * plain.rms);
  });
});
