// Compiles the AssemblyScript kernels of the core to WebAssembly and writes them as text into the source, where every bundler and test takes
// them without a loader. `--check` compiles and compares instead: the text must be what its source gives.
import { readFile, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

const SOURCE = fileURLToPath(new URL('../packages/core/kernels/rays.ts', import.meta.url));
const TARGET = fileURLToPath(new URL('../packages/core/src/spatial/rays-wasm.ts', import.meta.url));
/** 4 GiB, all that 32 bit addresses reach; a memory is made as large as its tree. */
const PAGES = 65536;

let bytes = null;
const { error, stderr } = await asc.main(
  [
    SOURCE,
    '--outFile', 'rays.wasm', '--optimizeLevel', '3', '--shrinkLevel', '0', '--converge', '--noAssert', '--runtime', 'stub',
    '--enable', 'simd', '--enable', 'threads', '--importMemory', '--sharedMemory', '--initialMemory', '1', '--maximumMemory', String(PAGES),
  ],
  {
    readFile: (name, base) => readFile(name.startsWith('/') ? name : `${base}/${name}`, 'utf8').catch(() => null),
    writeFile: (name, data) => { if (name.endsWith('.wasm')) bytes = data; },
    listFiles: () => [],
  },
); // prettier-ignore
if (error || bytes === null) {
  process.stderr.write(`${stderr.toString()}${error?.message ?? 'no output'}\n`);
  process.exit(1);
}
const text = `/** Compiled from kernels/rays.ts by \`npm run kernels\`; not to be edited. */
export const RAYS_WASM =
  '${Buffer.from(bytes).toString('base64')}';
`;
if (process.argv.includes('--check')) {
  if ((await readFile(TARGET, 'utf8').catch(() => '')) !== text) {
    process.stderr.write('rays-wasm.ts is not what kernels/rays.ts gives; run npm run kernels.\n');
    process.exit(1);
  }
} else await writeFile(TARGET, text);
process.stdout.write(`${bytes.length} bytes\n`);
