import { Installation, sleep } from './installation.mjs';
import { ended, retry, settings } from './jobs.mjs';

/** A sheet of 40 x 40 quads over a hundred tiles, and the same sheet three levels finer, wavy. */
function tiledSheet() {
  const grid = (n, z, uvs) => {
    const lines = [];
    for (let j = 0; j <= n; j++)
      for (let i = 0; i <= n; i++) lines.push(`v ${(100 * i) / n} ${z(i / n, j / n).toFixed(5)} ${(-100 * j) / n}`);
    if (uvs) for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`vt ${(10 * i) / n} ${(10 * j) / n}`);
    const corner = (i, j) => {
      const k = j * (n + 1) + i + 1;
      return uvs ? `${k}/${k}` : `${k}`;
    };
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) lines.push(`f ${corner(i, j)} ${corner(i + 1, j)} ${corner(i + 1, j + 1)} ${corner(i, j + 1)}`);
    return `${lines.join('\n')}\n`;
  };
  const wave = (u, v) => 0.8 * Math.sin(40 * u) * Math.cos(30 * v) + 0.1 * Math.sin(300 * u + 170 * v);
  return [
    { name: 'sheet_low.obj', text: grid(40, () => 0, true) },
    { name: 'sheet_high.obj', text: grid(320, wave, false) },
  ];
}

/** Asks what an open page asks, so many times a second. @returns what was taken by each answer, and how to stop */
function asking(installation, paths, aSecond) {
  const taken = [];
  let failed = 0;
  let k = 0;
  const timer = setInterval(() => {
    const path = paths[k++ % paths.length];
    const started = performance.now();
    fetch(`${installation.base}${path}`)
      .then(async (response) => {
        await response.arrayBuffer();
        if (!response.ok) failed++;
        taken.push({ path, ms: performance.now() - started });
      })
      .catch(() => failed++);
  }, 1000 / aSecond);
  const told = (of) => {
    const ms = taken.filter(({ path }) => of === undefined || path === of).map((t) => t.ms);
    return `half within ${quantile(ms, 0.5).toFixed(0)} ms, 95 % within ${quantile(ms, 0.95).toFixed(0)} ms, the slowest ${quantile(ms, 1).toFixed(0)} ms`;
  };
  return { taken, told, failed: () => failed, stop: () => clearInterval(timer) };
}
const quantile = (numbers, q) => [...numbers].sort((a, b) => a - b)[Math.min(numbers.length - 1, Math.floor(q * numbers.length))];

export async function tiles() {
  const size = Number(process.env.DRILL_SIZE ?? 2048);
  const installation = new Installation();
  installation.embedded = 'no';
  installation.level = 0; // no demo
  await installation.startDatabase();
  await installation.create();
  await installation.startServer();
  const first = await installation.startWorker(1);
  const second = await installation.startWorker(1);
  const files = [];
  for (const { name, text } of tiledSheet()) {
    const response = await fetch(`${installation.base}/api/uploads?name=${name}`, { method: 'PUT', body: text });
    files.push({ name, hash: (await response.json()).hash });
  }
  await ended(installation, [(await installation.json('/assets', 'POST', { name: 'Sheet', unit: 'cm', up: 'z', files })).id]);
  const [{ id: assetId }] = await installation.json('/assets');
  const asset = await installation.json(`/assets/${assetId}`);
  console.log(`${asset.tiles.length} tiles, sculpt level ${asset.stackKind} at ${asset.levels - 1}`);
  // what a page asks most, and now and then the whole asset
  const paths = [
    '/api/jobs',
    '/api/assets',
    '/api/jobs',
    '/api/recipes',
    '/api/jobs',
    '/api/assets',
    '/api/jobs',
    `/api/assets/${assetId}`,
  ];
  const alone = asking(installation, paths, 100);
  await sleep(5000);
  alone.stop();
  console.log(`${alone.taken.length} requests while nothing else is done: ${alone.told()}`);
  const started = Date.now();
  const { id } = await installation.json(`/assets/${assetId}/spans`, 'POST', { ...settings, toLevel: 3, size, kinds: ['scalar'] });
  const job = async () => (await retry(() => installation.json('/jobs'))).find((j) => j.id === id);
  const until = async (done) => {
    for (;;) {
      const now = await job();
      if (done(now)) return now;
      await sleep(300);
    }
  };
  await until((j) => j.tasksDone >= 5);
  const page = asking(installation, paths, 100);
  await until((j) => j.tasksDone >= 20);
  await installation.json(`/jobs/${id}/pause`, 'POST');
  await sleep(20_000);
  const paused = await job();
  await sleep(10_000);
  console.log(`paused at ${paused.tasksDone} tiles, ten seconds later ${(await job()).tasksDone}: ${(await job()).state}`);
  await installation.json(`/jobs/${id}/resume`, 'POST');
  await until((j) => j.tasksDone >= 40);
  first.kill('SIGKILL');
  console.log('one worker killed');
  await ended(installation, [id]);
  page.stop();
  const seconds = Math.round((Date.now() - started) / 1000);
  const [stored] = await installation.query(`select count(*)::int n, sum((info ->> 'bytes')::bigint)::bigint bytes from field`);
  const attempts = (await installation.query(`select sum(attempts)::int n from task where job_id = '${id}'`))[0].n;
  const storage = await installation.json('/storage');
  console.log(
    `${stored.n} fields at ${size}, ${seconds} s with 30 s of pause, ${attempts} attempts; ${(Number(stored.bytes) / 1e6).toFixed(0)} MB of fields, database ${(storage.databaseBytes / 1e6).toFixed(0)} MB, ${storage.freeableBytes} bytes nobody needs`,
  );
  console.log(`${page.taken.length} requests meanwhile, ${page.failed()} failed: ${page.told()}`);
  for (const path of new Set(paths)) console.log(`  ${path}: ${page.told(path)}`);
  for (const worker of [first, second]) worker.kill('SIGKILL');
  await installation.killServer();
  if (stored.n !== asset.tiles.length || page.failed() > 0) process.exitCode = 1;
}
