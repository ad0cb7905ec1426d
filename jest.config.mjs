import { availableParallelism } from 'node:os';

export default {
  // a machine that is busy is no fault of the code
  testTimeout: 180_000,
  // one more than cores: tests of servers wait for leases and processes half of their time
  maxWorkers: availableParallelism() + 1,
  testSequencer: '<rootDir>/jest.sequencer.mjs',
  projects: [
    '<rootDir>/packages/core',
    '<rootDir>/packages/contracts',
    '<rootDir>/packages/node',
    '<rootDir>/packages/delivery',
    '<rootDir>/packages/geometry',
    '<rootDir>/packages/demo',
    '<rootDir>/apps/cli',
    '<rootDir>/apps/server',
    '<rootDir>/apps/web',
  ],
};
