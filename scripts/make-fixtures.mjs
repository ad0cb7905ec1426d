// Makes packages/core/test/fixtures/opensubdiv/meshes.json anew: the named meshes of the tests, refined by OpenSubdiv.
// Needs Debian's libosd-dev and g++.
import { execFileSync } from 'node:child_process';
import { appendFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

/** Creases are refined until the last of them has faded. */
const levelsOf = (mesh) => (mesh.creases ? '3' : '2');
const creaseLines = ({ edges, edgeSharpness, points, pointSharpness }) =>
  [
    ...Array.from(edgeSharpness, (s, i) => `#crease ${edges[2 * i]} ${edges[2 * i + 1]} ${Math.min(s, 10)}`),
    ...Array.from(pointSharpness, (s, i) => `#corner ${points[i]} ${Math.min(s, 10)}`),
  ].join('\n');
const core = fileURLToPath(new URL('../packages/core/', import.meta.url));
const folder = join(core, 'test/fixtures/opensubdiv');
const work = mkdtempSync(join(tmpdir(), 'estampe-fixtures-'));
try {
  const source = `export { NAMED_MESHES } from './test/named-meshes'; export { readObj, writeObj } from './src';`;
  await build({
    stdin: { contents: source, resolveDir: core },
    outfile: join(work, 'meshes.mjs'),
    bundle: true,
    format: 'esm',
    platform: 'node',
    logLevel: 'warning',
  });
  const { NAMED_MESHES, readObj, writeObj } = await import(join(work, 'meshes.mjs'));
  execFileSync('g++', ['-O2', '-o', join(work, 'make'), join(folder, 'make-meshes.cpp'), '-losdCPU']);
  const meshes = { ...NAMED_MESHES, mixed: readObj(readFileSync(join(folder, 'mixed.obj'))).mesh };
  const lines = Object.entries(meshes).map(([name, mesh]) => {
    const obj = join(work, 'mesh.obj');
    writeFileSync(obj, writeObj(mesh));
    if (mesh.creases) appendFileSync(obj, `${creaseLines(mesh.creases)}\n`);
    return `${JSON.stringify(name)}: ${execFileSync(join(work, 'make'), [obj, levelsOf(mesh)], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] }).trim()}`;
  });
  writeFileSync(join(folder, 'meshes.json'), `{\n${lines.join(',\n')}\n}\n`);
  process.stdout.write(`${lines.length} meshes\n`);
} finally {
  rmSync(work, { recursive: true, force: true });
}
