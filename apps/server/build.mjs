// node build.mjs [--watch]: bundles the server and its threads from source; workspace packages are bundled in, the rest stays external.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFile, rm } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { context } from 'esbuild';

const here = fileURLToPath(new URL('.', import.meta.url));
const dependenciesOf = async (folder) => Object.keys(JSON.parse(await readFile(`${folder}/package.json`, 'utf8')).dependencies ?? {});
const own = (name) => name.startsWith('@estampe/');
const direct = await dependenciesOf(here);
// what the bundled workspace packages need stays external too
const nested = await Promise.all(direct.filter(own).map((name) => dependenciesOf(`${here}/../../packages/${name.slice(9)}`)));
await rm(`${here}/dist`, { recursive: true, force: true });

let child;
async function stop() {
  if (child && child.exitCode === null && child.signalCode === null) {
    child.kill('SIGTERM');
    await once(child, 'exit');
  }
}
// node --watch would miss a change that is only in a thread's bundle, so every rebuild restarts the server.
const restart = {
  name: 'restart',
  setup(build) {
    build.onEnd(async ({ errors }) => {
      if (errors.length) return;
      await stop();
      child = spawn(process.execPath, ['--enable-source-maps', 'dist/main.js'], { cwd: here, stdio: 'inherit' });
    });
  },
};
const watch = process.argv.includes('--watch');
const ctx = await context({
  absWorkingDir: here,
  entryPoints: {
    main: 'src/main.ts',
    worker: 'src/worker.ts',
    'job.worker': 'src/jobs/job.worker.ts',
    'side.worker': 'src/jobs/side.worker.ts',
    'kernel.worker': '../../packages/node/src/kernel.worker.ts',
  },
  outdir: 'dist',
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  splitting: true,
  sourcemap: true,
  external: [...new Set([...direct, ...nested.flat()])].filter((name) => !own(name)),
  logLevel: 'warning',
  plugins: watch ? [restart] : [],
});
if (watch) {
  await ctx.watch();
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => void stop().then(() => ctx.dispose()));
} else {
  await ctx.rebuild();
  await ctx.dispose();
}
