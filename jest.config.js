export default {
  testEnvironment: 'node',
  testMatch: ['**/test/**/*.test.ts'],
  // Servers, browsers and commands as processes: npm run test:all runs them too.
  testPathIgnorePatterns: ['/node_modules/', '\\.slow\\.test\\.ts$'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '\\.ts$': ['@swc/jest', { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'es6' } }],
  },
  testTimeout: 180_000,
  // What a failed test leaves running must not keep the run from its end.
  forceExit: process.env.CI === 'true',
  // Much of the time goes to processes that tests start and wait for: leave no processor out.
  maxWorkers: '100%',
}
