import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** What replaces modules, or wants another environment, cannot run with others. */
const STANDS_ALONE = /@jest-environment|jest\.mock\(/;

/** Paths of all specs under a folder: those that can run as one suite, and those that cannot. @param {string} folder */
export function specsIn(folder) {
  const found = { together: [], alone: [] };
  const specs = readdirSync(folder, { recursive: true }).filter((file) => file.endsWith('.spec.ts'));
  for (const file of specs.sort().map((name) => join(folder, name)))
    (STANDS_ALONE.test(readFileSync(file, 'utf8')) ? found.alone : found.together).push(file);
  return found;
}
