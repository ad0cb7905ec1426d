// Sums the runners' results into the plain closing line: failed steps, Jest's files, the browser's file. A step that failed without a failed test
// (lint, types) counts as one.
import { readFileSync } from 'node:fs';

const [failedSteps, ...files] = process.argv.slice(2);
const read = (file) => {
  try {
    return JSON.parse(readFileSync(file, 'utf8'));
  } catch {
    return null;
  }
};
const results = files.map(read);
let passed = 0;
let failed = 0;
for (const result of results) {
  passed += (result?.numPassedTests ?? 0) + (result?.stats?.expected ?? 0);
  failed += (result?.numFailedTests ?? 0) + (result?.numRuntimeErrorTestSuites ?? 0) + (result?.stats?.unexpected ?? 0);
}
// a runner that told nothing, or ran nothing
if (results.some((r) => (r?.numPassedTests ?? r?.stats?.expected ?? 0) === 0)) failed = Math.max(1, failed);
failed = Math.max(failed, Number(failedSteps));
console.log(`${passed} passed, ${failed} failed`);
process.exitCode = failed > 0 ? 1 : 0;
