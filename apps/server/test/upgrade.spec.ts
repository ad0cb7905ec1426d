import { randomUUID } from 'node:crypto';
import { assetSchema } from '@estampe/contracts';
import { harbourBell } from '@estampe/demo';
import { packMesh } from '@estampe/core';
import { connect } from '../src/db/connect';
import { migrate } from '../src/db/migrate';
import { firstSlice } from '../src/db/migrations/001-first-slice';
import { Assets } from '../src/repositories/assets';
import { Blobs } from '../src/repositories/blobs';
import { Deliveries } from '../src/repositories/deliveries';
import { Jobs } from '../src/repositories/jobs';
import { Spans } from '../src/repositories/spans';
import { freshDatabase } from './harness';

jest.setTimeout(60_000);

/** A span and a proof as the first version wrote them: no frame, no fits, no green, the report bare. */
const OLD_SETTINGS = {
  kind: 'scalar', fromLevel: 0, toLevel: 1, size: 64, base: 'limit', match: 'auto', reach: null, samples: 1, padding: -1, boundary: 'edge-and-corner', uv: 'linear',
}; // prettier-ignore
const OLD_ENCODING = { depth: '16', midpoint: 0.5, scale: 25, fit: 'symmetric', fileType: 'tif' };
const OLD_FIELD = {
  width: 64, height: 64, bytes: 1, match: 'stack', reach: 2, baseLevel: 3, covered: 10, missed: 0, doubtful: 0, min: -1, max: 1, rays: 10, seconds: 1,
}; // prettier-ignore
const distance = { mean: 1, rms: 1, p95: 1, p99: 1, max: 1, toSculpt: { rms: 1, max: 1 }, toProof: { rms: 1, max: 1 } };
const OLD_REPORT = {
  diagonal: 10, subdivisions: 1, distance, undisplaced: distance, unencoded: null, reachedShare: 1, seamGap: { rms: 0, max: 0 }, normalAngle: { mean: 0, p95: 0 },
  missedShare: 0, clippedShare: 0, foldShare: 0, tolerance: 2, passed: true,
}; // prettier-ignore

describe('a database of the first version', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  let db: ReturnType<typeof connect>;
  beforeAll(async () => {
    database = await freshDatabase();
    db = connect(database.url);
  });
  afterAll(async () => {
    await db.sequelize.close();
    await database.drop();
  });
  const insert = (sql: string, bind: unknown[]) => db.sequelize.query(sql, { bind });

  it('opens with everything that is in it, and takes what the new version adds', async () => {
    await db.sequelize.query(firstSlice.sql);
    await db.sequelize.query(
      `create table schema_migration (name varchar(255) primary key); insert into schema_migration values ('${firstSlice.name}')`,
    );
    const blobs = new Blobs(db);
    const hash = await db.sequelize.transaction((t) => blobs.put(packMesh(harbourBell(1)[0]), t));
    const id = Object.fromEntries(['production', 'asset', 'job', 'part', 'stack', 'mesh', 'span', 'proof'].map((k) => [k, randomUUID()]));
    await insert(`insert into production (id, name) values ($1, 'Tidewrack')`, [id['production']]);
    await insert(`insert into asset (id, production_id, name, unit, picture_hash, job_id) values ($1, $2, 'Bell', 'mm', $3, $4)`, [id['asset'], id['production'], hash, id['job']]); // prettier-ignore
    await insert(`insert into part (id, asset_id, name) values ($1, $2, 'Bell')`, [id['part'], id['asset']]);
    // names that were taken once
    const odd = [randomUUID(), randomUUID(), randomUUID()];
    for (const [i, name] of ['Be\u0007ll \u202ereversed', 'a\u0001', '\u0003'].entries()) {
      await insert(`insert into asset (id, production_id, name, unit, picture_hash, job_id) values ($1, $2, $3, 'mm', $4, $1)`, [odd[i], id['production'], name, hash]); // prettier-ignore
      await insert(`insert into part (id, asset_id, name) values ($1, $1, $2)`, [odd[i], name]);
    }
    await insert(`insert into mesh values ($1, $2, 1282, 1280, 1300, '[1001]', '[]')`, [id['mesh'], hash]);
    await insert(`insert into level_stack values ($1, $2, 'stack')`, [id['stack'], id['part']]);
    for (const level of [0, 1]) await insert(`insert into level values ($1, $2, $3, null)`, [id['stack'], level, id['mesh']]);
    await insert(`insert into span (id, part_id, settings) values ($1, $2, $3)`, [id['span'], id['part'], JSON.stringify(OLD_SETTINGS)]);
    // of the same pass, and one that was measured again later
    for (const kind of ['normal', 'scalar']) await insert(`insert into span (id, part_id, settings, created_at) values ($1, $2, $3, now() + interval '1 s')`, [randomUUID(), id['part'], JSON.stringify({ ...OLD_SETTINGS, kind })]); // prettier-ignore
    await insert(`insert into field values ($1, $2, 1001, $3, $4)`, [randomUUID(), id['span'], hash, JSON.stringify(OLD_FIELD)]);
    await insert(`insert into encoding values ($1, $2, $3)`, [randomUUID(), id['span'], JSON.stringify(OLD_ENCODING)]);
    await insert(`insert into proof (id, span_id, job_id, encoding, report, mesh_hash, errors_hash, seconds) values ($1, $2, $3, $4, $5, $6, $6, 1)`, [id['proof'], id['span'], randomUUID(), JSON.stringify(OLD_ENCODING), JSON.stringify(OLD_REPORT), hash]); // prettier-ignore

    for (const [kind, state] of [['extract', 'running'], ['proof', 'failed'], ['import', 'done']]) await insert(`insert into job (id, kind, title, state, payload, span_id, leased_until) values ($1, $2, $2, $3, $4, $5, now())`, [randomUUID(), kind, state, JSON.stringify({ spanIds: [id['span']] }), id['span']]); // prettier-ignore

    await migrate(db.sequelize);
    // a pass that was running goes on tile by tile, what had failed can be tried again, what was done stays done
    const jobs = new Jobs(db);
    expect(await jobs.claim()).toMatchObject({ job: { kind: 'extract', state: 'running', tasks: 1 }, tile: 1001 });
    expect(await jobs.claim()).toBeNull();
    const failed = (await jobs.list()).find((j) => j.kind === 'proof');
    expect(await jobs.retry(failed?.id ?? '')).toMatchObject({ state: 'waiting' });
    expect((await jobs.claim())?.job.kind).toBe('proof');
    const asset = assetSchema.parse(await new Assets(db).detail(id['asset']));
    expect(asset.spans[0]).toMatchObject({
      settings: { ...OLD_SETTINGS, padding: 'fill', matchSeams: false, fitTexels: false, frame: 'mikk' },
      outOfDate: false, // nobody knows what it was measured from, so nothing is claimed
      encoding: { ...OLD_ENCODING, green: 'up', keepBlue: true },
      encodingVersion: 1,
      proofs: [{ outcome: { kind: 'scalar', report: OLD_REPORT }, worst: [], study: null }],
    });
    expect(asset.deliveries).toEqual([]);
    expect(asset.spans.map((s) => s.settings.kind).sort()).toEqual(['normal', 'scalar', 'scalar']);
    // what they have in common is kept once: heights and normals in one pass, heights measured again in another
    expect((await db.models.Pass.findAll()).map((p) => p.settings.padding)).toEqual(['fill', 'fill']);
    const mended = odd.map((id, i) => `${['Bell reversed ', 'a ', ''][i]}${id.slice(0, 8)}`);
    for (const model of [db.models.Asset, db.models.Part])
      expect(await Promise.all(odd.map(async (id) => (await (model as typeof db.models.Asset).findByPk(id))?.name))).toEqual(mended);
    // twice does nothing more
    await migrate(db.sequelize);
    const spans = new Spans(db);
    await expect(
      spans.saveEncoding(id['span'], { ...OLD_ENCODING, scale: 30, green: 'up', keepBlue: true } as never, 0),
    ).rejects.toMatchObject({
      code: 'CONFLICT',
    });
    expect(await spans.saveEncoding(id['span'], { ...OLD_ENCODING, scale: 30, green: 'up', keepBlue: true } as never, 1)).toBe(2);
  });

  it('gives each delivery its own version, also when many ask at once, and shows none that is not written', async () => {
    const assets = new Assets(db);
    const [{ id }] = await assets.list();
    const deliveries = new Deliveries(db);
    const rows = await Promise.all(
      Array.from({ length: 8 }, () =>
        db.sequelize.transaction((t) => deliveries.reserve(id, randomUUID(), (version) => `bell_v${version}`, t)),
      ),
    );
    expect(rows.map((r) => r.version).sort((a, b) => a - b)).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    expect((await assets.detail(id)).deliveries).toEqual([]);
    await expect(deliveries.written(rows[0].id)).rejects.toMatchObject({ code: 'NOT_FOUND' });
  });

  it('is refused by a program that is older than it', async () => {
    await db.sequelize.query(`insert into schema_migration values ('999-from-the-future')`);
    await expect(migrate(db.sequelize)).rejects.toThrow(/newer version \(999-from-the-future\)/);
  });
});
