// Sums the runners' results into the plain closing line. A step that failed without a failed test (lint, types) counts as one.
import { readFileSync } from 'node:fs';

const [jestFile, e2eFile, failedSteps] = process.argv.slice(2);
const read = (file) => {
  try {
    return JSON.parse(readFileSync(file, 'utf8'));
  } catch {
    return null;
  }
};
const jest = read(jestFile);
const e2e = read(e2eFile);
const passed = (jest?.numPassedTests ?? 0) + (e2e?.stats.expected ?? 0);
let failed = (jest?.numFailedTests ?? 0) + (jest?.numRuntimeErrorTestSuites ?? 0) + (e2e?.stats.unexpected ?? 0);
if (jest === null || e2e === null || e2e.stats.expected === 0) failed = Math.max(1, failed);
failed = Math.max(failed, Number(failedSteps));
console.log(`${passed} passed, ${failed} failed`);
process.exitCode = failed > 0 ? 1 : 0;
