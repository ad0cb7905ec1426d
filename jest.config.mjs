export default {
  // a machine that is busy is no fault of the code
  testTimeout: 60_000,
  // every core: what else runs meanwhile mostly waits
  maxWorkers: '100%',
  projects: [
    '<rootDir>/packages/core',
    '<rootDir>/packages/contracts',
    '<rootDir>/packages/node',
    '<rootDir>/packages/delivery',
    '<rootDir>/packages/demo',
    '<rootDir>/apps/cli',
    '<rootDir>/apps/server',
    '<rootDir>/apps/web',
  ],
};
