import { readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { Installation, sleep } from './installation.mjs';
import { settings } from './jobs.mjs';

export async function load() {
  const [uploads, megabytes] = [50, 40];
  const installation = new Installation();
  await installation.startApart();
  await sleep(30_000); // the demo is made first
  const rss = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${installation.server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  const before = rss();
  const assets = await installation.json('/assets');
  const [idle, unread] = [200, 20];
  const { port } = new URL(installation.base);
  const listeners = Array.from({ length: idle + unread }, (_, k) => {
    const socket = connect(Number(port), '127.0.0.1', () => socket.write(`GET /api/events HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\n\r\n`));
    if (k < unread) socket.pause();
    else socket.resume();
    socket.on('error', () => undefined);
    return socket;
  });
  await sleep(1000);
  const listening = rss();
  for (const { id } of assets.filter((a) => a.levels > settings.toLevel))
    await installation.json(`/assets/${id}/spans`, 'POST', { ...settings, size: 4096, kinds: ['scalar', 'normal'] });
  let most = listening;
  const watch = setInterval(() => (most = Math.max(most, rss())), 50);
  const started = Date.now();
  const answers = await Promise.all(
    Array.from({ length: uploads }, async (_, i) => {
      const body = Buffer.alloc(megabytes * 1e6, `v ${i} 2 3\n`);
      const response = await fetch(`${installation.base}/api/uploads?name=${i}.obj`, { method: 'PUT', body });
      return { status: response.status, ...(await response.json()) };
    }),
  );
  clearInterval(watch);
  const stored = (await installation.query('select count(*)::int n, sum(bytes)::bigint bytes from blob where hash is not null'))[0];
  console.log(
    `${uploads} uploads of ${megabytes} MB at once: ${answers.filter((a) => a.status === 201).length} stored, ${new Set(answers.map((a) => a.hash)).size} different, ${((Date.now() - started) / 1000).toFixed(1)} s`,
  );
  for (const socket of listeners) socket.destroy();
  console.log(
    `server memory ${before.toFixed(0)} MiB before, ${listening.toFixed(0)} MiB with ${idle} pages that listen and ${unread} that do not read, at most ${most.toFixed(0)} MiB meanwhile; ${stored.n} blobs in the database`,
  );
  await installation.killWorker();
  await installation.killServer();
  if (answers.some((a) => a.status !== 201)) process.exitCode = 1;
}
