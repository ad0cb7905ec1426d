// Bundles the command line, the benchmark and the kernel thread from source; everything is bundled in but Node itself.
import { rm } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const here = fileURLToPath(new URL('.', import.meta.url));
await rm(`${here}/dist`, { recursive: true, force: true });
await build({
  absWorkingDir: here,
  entryPoints: {
    main: 'src/main.ts',
    'command.worker': 'src/command.worker.ts',
    bench: 'src/bench/bench.ts',
    'bench-film': 'src/bench/film.ts',
    'proof-table': 'src/bench/proof-table.ts',
    'seam-table': 'src/bench/seam-table.ts',
    'kernel.worker': '../../packages/node/src/kernel.worker.ts',
  },
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  splitting: true,
  chunkNames: 'chunk-[hash]',
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: true,
  // packages written as CommonJS ask for Node's own modules by require
  banner: { js: "import { createRequire as requireOf } from 'node:module'; const require = requireOf(import.meta.url);" },
  logLevel: 'warning',
});
