export default {
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
