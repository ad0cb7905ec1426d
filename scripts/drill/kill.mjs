import { Installation, sleep } from './installation.mjs';
import { ended, hashes, retry, settings } from './jobs.mjs';

const heights = { fit: 'by hand', green: 'up', keepBlue: true, midpoint: 32768 / 65535, depth: '16', fileType: 'tif' };

/** Fifteen jobs: three assets measured in three ways, two proofs each. @returns ids of the jobs, and how often one had to be asked for again */
async function allJobs(installation) {
  let assets;
  do await sleep(500);
  while ((assets = await retry(() => installation.json('/assets'))).length < 3);
  const jobs = [];
  for (const { id } of assets)
    for (const change of [{ kinds: ['scalar', 'normal'] }, { kinds: ['scalar'], matchSeams: true }, { kinds: ['normal'], samples: 2 }])
      jobs.push((await retry(() => installation.json(`/assets/${id}/spans`, 'POST', { ...settings, ...change }))).id);
  const again = await ended(installation, jobs);
  for (const { id } of assets) {
    const [first, , second] = (await retry(() => installation.json(`/assets/${id}`))).spans;
    for (const [span, scale] of [[first, 25], [second, 100]]) // prettier-ignore
      jobs.push((await retry(() => installation.json(`/spans/${span.id}/proofs`, 'POST', { encoding: { ...heights, scale }, subdivisions: 2, tolerance: 1 }))).id); // prettier-ignore
  }
  return { jobs, again: again + (await ended(installation, jobs)) };
}

export async function kill() {
  const seed = Number(process.env.DRILL_SEED ?? 7);
  let state = seed;
  const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
  const run = async (faults) => {
    const installation = new Installation();
    await installation.startApart();
    const counts = { server: 0, worker: 0, database: 0 };
    let over = false;
    const troubled = faults
      ? (async () => {
          while (!over) {
            await sleep(4000 + 12_000 * random());
            if (over) break;
            const what = random();
            if (what < 0.33) {
              counts.server++;
              await installation.killServer();
              await installation.startServer();
            } else if (what < 0.66) {
              counts.worker++;
              await installation.killWorker();
              await installation.startWorker();
            } else {
              counts.database++;
              await installation.killDatabase();
              await sleep(700 + 1500 * random());
              await installation.startDatabase();
            }
          }
        })()
      : Promise.resolve();
    const started = Date.now();
    const { jobs, again } = await allJobs(installation);
    over = true;
    await troubled;
    const seconds = Math.round((Date.now() - started) / 1000);
    const attempts = (await installation.query('select sum(attempts)::int n from task'))[0].n;
    const list = await hashes(installation);
    await installation.killWorker();
    await installation.killServer();
    return { list, jobs: jobs.length, again, seconds, attempts, counts };
  };
  const wanted = Number(process.env.DRILL_KILLS ?? 50);
  const peace = await run(false);
  console.log(`in peace: ${peace.jobs} jobs, ${peace.seconds} s, ${peace.attempts} attempts, ${peace.list.length} results`);
  let kills = 0;
  for (let round = 1; kills < wanted; round++) {
    const { counts, jobs, again, seconds, attempts, list } = await run(true);
    kills += counts.server + counts.worker + counts.database;
    const there = new Map(list.map((r) => [r.key, r.hash]));
    const other = peace.list.filter(({ key, hash }) => there.get(key) !== hash);
    console.log(
      `round ${round}:  ${jobs} jobs, ${seconds} s, ${attempts} attempts; server killed ${counts.server} times, worker ${counts.worker}, database ${counts.database} (${kills} in all, seed ${seed}); asked for again ${again}; ${peace.list.length - other.length} of ${peace.list.length} content hashes the same, ${list.length} results`,
    );
    for (const { what } of other) console.log(`DIFFERENT ${what}`);
    if (other.length > 0 || list.length !== peace.list.length) process.exitCode = 1;
  }
}
