/** Builds what the demonstration needs, prints the verdicts of all samples, and serves the page. `--once` ends after the verdicts. */
import { spawnSync } from 'node:child_process'
import { preview } from 'vite'

const run = (command, ...args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', shell: process.platform === 'win32' })
  if (status !== 0) process.exit(status ?? 1)
}

run('npm', 'run', '--silent', 'build')
run('npx', '--no', 'yosei', 'check', 'examples/observatory/intake.ts', 'examples/observatory/samples')

if (!process.argv.includes('--once')) {
  run('npm', 'run', '--silent', 'build:page')
  const server = await preview({
    configFile: 'examples/observatory/page/vite.config.ts',
    logLevel: 'warn',
    preview: { port: 0, host: '127.0.0.1' },
  })
  console.log(`\nThe page: ${server.resolvedUrls.local[0]}  (Ctrl+C ends it)`)
}
