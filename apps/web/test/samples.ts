import type { AssetDetail, EncodingSettings, FieldInfo, JobInfo, PartInfo, ProofInfo, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';

/** Whole answers of the server for tests of components; each takes what a test wants to differ. */

const HASH = '0'.repeat(64);

export const sampleEncoding = (change: Partial<EncodingSettings> = {}): EncodingSettings => ({
  depth: '16',
  midpoint: 0.5,
  scale: 4,
  fit: 'symmetric',
  fileType: 'tif',
  green: 'up',
  keepBlue: true,
  axes: '',
  each: null,
  ...change,
});

export const sampleField = (change: Partial<FieldInfo> = {}): FieldInfo => ({
  id: 'f', tile: 1001, width: 512, height: 512, bytes: 2_000_000, match: 'stack', reach: 2.1, baseLevel: 3, covered: 9000, missed: 0, doubtful: 0,
  mended: 0, sheets: 0, min: -1, max: 2, ends: [{ min: -1, max: 2 }], rays: 10000, seconds: 61, fit: null, radiusEdges: null, texelUnits: 0.5, lowHash: '', sculptHash: '', picturesHash: null, spread: null,
  ...change,
}); // prettier-ignore

export const sampleSpan = (change: Partial<SpanInfo> = {}): SpanInfo => ({
  id: 's',
  settings: { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2 },
  fields: [],
  outOfDate: false,
  encoding: null,
  encodingVersion: change.encoding ? 1 : 0,
  proofs: [],
  ...change,
});

const sampleLevels = (count: number): PartInfo['levelList'] =>
  Array.from({ length: count }, (_, level) => ({
    level,
    meshId: `m${level}`,
    points: 10 * 4 ** level,
    faces: 8 * 4 ** level,
    detail: level === 0 ? null : 0.1234,
    colours: null,
  }));

export const samplePart = (change: Partial<PartInfo> = {}): PartInfo => ({
  id: 'p1',
  name: 'Bell',
  stackKind: 'stack',
  levelList: sampleLevels(4),
  sculptHash: null,
  diagonal: 1000,
  tiles: [1001],
  pictureHash: HASH,
  uv: null,
  groups: null,
  states: [],
  statePlace: 0,
  stamp: 's0',
  recipe: null,
  ...change,
});

/** Seen through its first part. */
export function sampleAsset(change: Partial<AssetDetail> = {}): AssetDetail {
  const { id, name, stackKind, levelList, sculptHash, diagonal, tiles, pictureHash, uv, groups, states, statePlace, stamp } =
    change.parts?.[0] ?? samplePart();
  return {
    id: 'a',
    name: 'Bell',
    production: 'Tidewrack',
    unit: 'mm',
    up: 'y',
    lowFaces: 8,
    topFaces: 512,
    levels: levelList.length,
    createdAt: '2026-01-02T03:04:05.000Z',
    stackKind,
    levelList,
    sculptHash,
    diagonal,
    tiles,
    pictureHash,
    uv,
    groups,
    states,
    statePlace,
    stamp,
    part: { id, name },
    parts: [samplePart()],
    findings: [],
    spans: [],
    deliveries: [],
    usual: null,
    ...change,
  };
}

export const sampleJob = (change: Partial<JobInfo> = {}): JobInfo => ({
  id: 'j', kind: 'extract', title: 'Extract Bell', state: 'running', priority: 0, tasks: 1, tasksDone: 0, fraction: 0.25, stage: 'tracing', error: null,
  assetId: 'a', partId: null, spanId: 's', createdAt: '2026-01-02T03:04:05.000Z', startedAt: '2026-01-02T03:04:06.000Z', endedAt: null,
  ...change,
}); // prettier-ignore

const distance = {
  mean: 0.01,
  rms: 0.02,
  p95: 0.05,
  p99: 0.07,
  max: 0.8,
  toSculpt: { rms: 0.02, max: 0.4 },
  toProof: { rms: 0.02, max: 0.8 },
};
export type DisplacedReport = Extract<ProofInfo['outcome'], { kind: 'scalar' }>['report'];
export const sampleReport = (change: Partial<DisplacedReport> = {}): DisplacedReport => ({
  diagonal: 1000, subdivisions: 3, distance, undisplaced: { ...distance, rms: 1 }, unencoded: distance, reachedShare: 0.999, seamGap: { rms: 0.01, max: 0.1 },
  normalAngle: { mean: 1, p95: 3 }, missedShare: 0, clippedShare: 0, foldShare: 0, tolerance: 0.1, passed: true, ...change,
}); // prettier-ignore

export const sampleProof = (change: Partial<ProofInfo> = {}): ProofInfo => ({
  id: 'p', encoding: sampleEncoding(), outcome: { kind: 'scalar', report: sampleReport() }, study: null,
  worst: [{ position: [1, 2, 3], normal: [0, 1, 0], error: -0.8, on: 'proof' }], meshHash: '', errorsHash: '', seconds: 3, createdAt: '',
  maps: [{ id: 'm', tile: 1001, name: 'bell_scalar_L1-L4_16i.tif', bytes: 4.2e6, hash: '' }],
  ...change,
}); // prettier-ignore
