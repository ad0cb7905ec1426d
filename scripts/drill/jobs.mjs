import { sleep } from './installation.mjs';

export const settings = {
  fromLevel: 0, toLevel: 2, size: 512, base: 'limit', match: 'auto', reach: null, samples: 1, padding: 16, boundary: 'edge-and-corner', uv: 'linear',
  matchSeams: false, fitTexels: false, frame: 'mikk', forHeights: true,
}; // prettier-ignore

export async function retry(work) {
  for (;;) {
    try {
      return await work();
    } catch {
      await sleep(400);
    }
  }
}

/** Waits for jobs. One whose worker was killed three times is given up: here that is bad luck, so somebody asks for it again.
 *  @returns how often that was */
export async function ended(installation, ids) {
  let again = 0;
  for (;;) {
    const jobs = await retry(() => installation.json('/jobs'));
    const mine = jobs.filter((j) => ids.includes(j.id));
    const bad = mine.find((j) => j.state === 'failed' || j.state === 'cancelled');
    if (bad?.error?.includes('Its worker ended')) {
      again++;
      await retry(() => installation.json(`/jobs/${bad.id}/retry`, 'POST'));
      continue;
    }
    if (bad) throw new Error(`${bad.title}: ${bad.error}`);
    if (mine.length === ids.length && mine.every((j) => j.state === 'done')) return again;
    await sleep(300);
  }
}

/** Hashes of everything that the jobs have written, in an order that does not depend on time. */
export async function hashes(installation) {
  const rows = await installation.query(`
    select 'field' kind, a.name || ' ' || f.tile || ' ' || s.settings::text what, f.hash from field f join span s on s.id = f.span_id join part p on p.id = s.part_id join asset a on a.id = p.asset_id
    union all select 'map', m.name || ' ' || m.tile || ' ' || (p.encoding ->> 'scale'), m.hash from map_file m join proof p on p.id = m.proof_id
    union all select 'proof mesh', (p.encoding ->> 'scale') || ' ' || a.name, p.mesh_hash from proof p join span s on s.id = p.span_id join part t on t.id = s.part_id join asset a on a.id = t.asset_id
    union all select 'errors', (p.encoding ->> 'scale') || ' ' || a.name, p.errors_hash from proof p join span s on s.id = p.span_id join part t on t.id = s.part_id join asset a on a.id = t.asset_id
    order by 1, 2`);
  return rows.map((r) => ({ what: `${r.kind} ${r.what}`.slice(0, 60), key: `${r.kind} ${r.what}`, hash: r.hash }));
}
