// Compiles the AssemblyScript kernels of the core to WebAssembly and writes them as text into the source, where every bundler and test takes
// them without a loader. `--check` compiles and compares instead: the text must be what its source gives.
import { readFile, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

/** 4 GiB, all that 32 bit addresses reach; a memory is made as large as what it holds. */
const PAGES = 65536;
/** Rays are cast by many threads in one tree, and many threads build one. */
const KERNELS = [
  { name: 'rays', folder: 'spatial', constant: 'RAYS_WASM', shared: true },
  { name: 'build', folder: 'spatial', constant: 'BUILD_WASM', shared: true },
  { name: 'cholesky', folder: 'unwrap', constant: 'CHOLESKY_WASM', shared: false },
];

for (const { name, folder, constant, shared } of KERNELS) {
  const source = fileURLToPath(new URL(`../packages/core/kernels/${name}.ts`, import.meta.url));
  const target = fileURLToPath(new URL(`../packages/core/src/${folder}/${name}-wasm.ts`, import.meta.url));
  let bytes = null;
  const { error, stderr } = await asc.main(
    [
      source,
      '--outFile', `${name}.wasm`, '--optimizeLevel', '3', '--shrinkLevel', '0', '--converge', '--noAssert', '--runtime', 'stub',
      '--enable', 'simd', '--importMemory', '--initialMemory', '1', '--maximumMemory', String(PAGES),
      ...(shared ? ['--enable', 'threads', '--sharedMemory'] : []),
    ],
    {
      readFile: (path, base) => readFile(path.startsWith('/') ? path : `${base}/${path}`, 'utf8').catch(() => null),
      writeFile: (path, data) => { if (path.endsWith('.wasm')) bytes = data; },
      listFiles: () => [],
    },
  ); // prettier-ignore
  if (error || bytes === null) {
    process.stderr.write(`${stderr.toString()}${error?.message ?? 'no output'}\n`);
    process.exit(1);
  }
  const text = `/** Compiled from kernels/${name}.ts by \`npm run kernels\`; not to be edited. */
export const ${constant} =
  '${Buffer.from(bytes).toString('base64')}';
`;
  if (process.argv.includes('--check')) {
    if ((await readFile(target, 'utf8').catch(() => '')) !== text) {
      process.stderr.write(`${name}-wasm.ts is not what kernels/${name}.ts gives; run npm run kernels.\n`);
      process.exit(1);
    }
  } else await writeFile(target, text);
  process.stdout.write(`${name}: ${bytes.length} bytes\n`);
}
