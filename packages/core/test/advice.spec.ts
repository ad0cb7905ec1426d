import type { NormalProofReport } from '../src';
import { adviseOnNormals, adviseOnProof } from '../src';
import type { TwoWayDistance } from '../src/proof/compare';
import type { ProofReport } from '../src/proof/prove-displacement';

const distance = (rms: number, change: Partial<TwoWayDistance> = {}): TwoWayDistance => ({
  mean: rms, rms, p95: 2 * rms, p99: 3 * rms, max: 5 * rms, toSculpt: { rms, max: 5 * rms }, toProof: { rms, max: 5 * rms }, ...change,
}); // prettier-ignore
const report = (change: Partial<ProofReport> = {}): ProofReport => ({
  diagonal: 1000,
  subdivisions: 4,
  distance: distance(0.01),
  undisplaced: distance(1),
  unencoded: distance(0.01),
  reachedShare: 0.999,
  seamGap: { rms: 0, max: 0 },
  normalAngle: { mean: 0, p95: 0 },
  missedShare: 0,
  clippedShare: 0,
  foldShare: 0,
  tolerance: 0.1,
  passed: true,
  ...change,
});
const codes = (r: ProofReport, kind?: 'scalar' | 'vector'): string[] => adviseOnProof(r, 'mm', kind).map((a) => a.code);
/** The sculpt lies far from the proof in places that the proof itself does not show. */
const oneSided = distance(0.8, { toSculpt: { rms: 0.2, max: 2 }, toProof: { rms: 1.1, max: 9 } });

describe('advice on a proof', () => {
  it('has nothing to say about a sound map', () => {
    expect(adviseOnProof(report(), 'mm')).toEqual([]);
  });

  it('leads from overhangs to vectors, with the share that is not reached and how far it lies', () => {
    const r = report({ distance: oneSided, unencoded: oneSided, reachedShare: 0.77, foldShare: 0.02, passed: false });
    expect(codes(r)).toEqual(['overhangs']); // folds come with them by nature
    expect(adviseOnProof(r, 'mm')[0].message).toMatch(
      /^23 % of the sculpt is not reached: it lies up to 9 mm.*needs vector displacement\.$/,
    );
  });

  it('does not send vectors to vectors: it asks for the grid or the order', () => {
    const r = report({ distance: oneSided, unencoded: oneSided, reachedShare: 0.77 });
    expect(adviseOnProof(r, 'mm', 'vector')[0].message).toMatch(/grid is too coarse.*axis order or space/);
    expect(adviseOnProof({ ...r, reachedShare: null }, 'mm', 'vector')[0].message).toMatch(/^Part of the sculpt/);
  });

  it('calls nothing an overhang that is reached, or that is as far one way as the other', () => {
    expect(codes(report({ distance: oneSided, unencoded: oneSided, reachedShare: 0.999 }))).toEqual([]);
    expect(codes(report({ distance: distance(0.8), unencoded: distance(0.8), reachedShare: 0.7 }))).toEqual([]);
  });

  it('judges overhangs by the map before it was stored: what a range cuts off is told as that', () => {
    const r = report({ distance: oneSided, unencoded: distance(0.01), reachedShare: 0.8, clippedShare: 0.25 });
    expect(codes(r)).toEqual(['clipped']); // not rounding besides, which would ask for a smaller scale
    expect(adviseOnProof(r, 'mm')[0].message).toBe('25 % of the texels are cut off by the range; raise the scale.');
  });

  it('tells missed texels from the few that any map has, and folds where they are no overhang', () => {
    expect(codes(report({ missedShare: 0.0009 }))).toEqual([]);
    expect(adviseOnProof(report({ missedShare: 0.034 }), 'mm')[0].message).toMatch(/^3\.4 % of the texels found no sculpt/);
    expect(codes(report({ foldShare: 0.001 }))).toEqual(['folds']);
    expect(codes(report({ missedShare: null, clippedShare: null }))).toEqual([]);
  });

  it('blames rounding only where it makes up most of the error', () => {
    const rounded = (rms: number) => report({ distance: distance(rms), unencoded: distance(0.01) });
    expect(codes(rounded(0.0141))).toEqual([]); // about half of the squares
    expect(codes(rounded(0.02))).toEqual(['encoding']);
    expect(adviseOnProof(rounded(0.02), 'mm')[0].message).toMatch(/^Rounding makes up 87 % of the error/); // sqrt(3) / 2
    expect(codes(report({ distance: distance(0.02), unencoded: null }))).toEqual([]);
  });

  it('says what is left when a sound map does not pass: grid and subdivisions', () => {
    expect(codes(report({ passed: false }))).toEqual(['grid']);
    expect(codes(report({ passed: false, foldShare: 0.1 }))).toEqual(['folds']);
  });
});

describe('advice on a proof of normals', () => {
  const angle = { mean: 1, p95: 2, max: 3 };
  const normals = (change: Partial<NormalProofReport>): NormalProofReport => ({ subdivisions: 4, normalAngle: angle, bareAngle: angle, missedShare: 0, clippedShare: 0, unmatchedShare: 0, tolerance: 5, passed: true, ...change }); // prettier-ignore
  it('says why there is no verdict, or what share could not be compared, and else nothing', () => {
    expect(adviseOnNormals(normals({}))).toEqual([]);
    expect(adviseOnNormals(normals({ unmatchedShare: 0.0009 }))).toEqual([]);
    expect(adviseOnNormals(normals({ unmatchedShare: 0.35 }))[0].message).toMatch(/^35 % of the area had no normal/);
    expect(adviseOnNormals(normals({ normalAngle: null, unmatchedShare: 1 })).map((a) => a.code)).toEqual(['unmatched']);
    expect(adviseOnNormals(normals({ missedShare: 0.02 })).map((a) => a.code)).toEqual(['missed']);
  });
});
