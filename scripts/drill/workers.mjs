import { Installation, sleep } from './installation.mjs';
import { ended, hashes, retry, settings } from './jobs.mjs';

/** The same pass over the four tiles of the quay stone, all kinds of maps: each worker is held to one core, as if it were a machine of its own; the database and the server share
 *  the cores with them. DRILL_QUICK=1 leaves the killing out. */
export async function workers() {
  const size = Number(process.env.DRILL_SIZE ?? 1024);
  const kinds = ['scalar', 'vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'];
  const run = async (count, killOne) => {
    const installation = new Installation();
    installation.embedded = 'no';
    installation.level = 4;
    await installation.startDatabase();
    await installation.create();
    await installation.startServer();
    const first = await installation.startWorker(1, 0);
    let assets;
    do await sleep(500);
    while ((assets = await retry(() => installation.json('/assets'))).length < 3);
    const stone = assets.find((a) => a.lowFaces === 1120);
    const others = [];
    for (let k = 1; k < count; k++) others.push(await installation.startWorker(1, k));
    const before = await installation.cost();
    const started = Date.now();
    const { id } = await installation.json(`/assets/${stone.id}/spans`, 'POST', {
      ...settings,
      toLevel: 4,
      size,
      kinds,
      occlusionRays: 16,
    });
    const killed = killOne
      ? (async () => {
          for (;;) {
            await sleep(300);
            const job = (await retry(() => installation.json('/jobs'))).find((j) => j.id === id);
            if (job.tasksDone >= 1) break;
          }
          const ending = new Promise((resolve) => first.once('exit', resolve));
          first.kill('SIGKILL');
          await ending;
        })()
      : Promise.resolve();
    await ended(installation, [id]);
    await killed;
    const seconds = (Date.now() - started) / 1000;
    const after = await installation.cost();
    const spent = Object.fromEntries(Object.entries(after).map(([k, v]) => [k, v - before[k]]));
    const attempts = (await installation.query(`select sum(attempts)::int n from task where job_id = '${id}'`))[0].n;
    const stored = (await installation.query(`select count(*)::int n, sum((info ->> 'bytes')::bigint)::bigint bytes from field`))[0];
    const list = await hashes(installation);
    for (const worker of [first, ...others]) worker.kill('SIGKILL');
    await installation.killServer();
    return { seconds, attempts, list, spent, stored };
  };
  const one = await run(1, false);
  const two = await run(2, false);
  const torn = process.env.DRILL_QUICK ? null : await run(2, true);
  const keys = (r) => JSON.stringify(r.list.map(({ key, hash }) => [key, hash]));
  const tiles = 4;
  console.log(
    `${kinds.length} maps of 4 tiles at ${size}: one worker ${one.seconds.toFixed(1)} s, two ${two.seconds.toFixed(1)} s: ${(one.seconds / two.seconds).toFixed(2)} times as fast`,
  );
  if (torn) console.log(`two, one of them killed half-way: ${torn.seconds.toFixed(1)} s, ${torn.attempts} attempts for ${tiles} tiles`);
  console.log(
    `${one.list.length} content hashes: two workers ${keys(one) === keys(two) ? 'the same' : 'DIFFERENT'}, killed ${torn === null ? 'not tried' : keys(one) === keys(torn) ? 'the same' : 'DIFFERENT'}`,
  );
  const { transactions, rows, megabytes, cpuSeconds } = one.spent;
  console.log(
    `the database, a tile of ${kinds.length} maps: ${Math.round(transactions / tiles)} transactions, ${Math.round(rows / tiles)} rows written, ${(megabytes / tiles).toFixed(0)} MB of log, ${(cpuSeconds / tiles).toFixed(2)} CPU s, ${(Number(one.stored.bytes) / tiles / 1e6).toFixed(0)} MB stored`,
  );
  if (keys(one) !== keys(two) || (torn && keys(one) !== keys(torn))) process.exitCode = 1;
}
