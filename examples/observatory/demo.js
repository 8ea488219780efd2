/** Builds what the demonstration needs, prints the verdicts of all samples, and serves the page. `--once` ends after the verdicts. */
import { spawnSync } from 'node:child_process'
import { build, preview } from 'vite'

const page = 'examples/observatory/page/vite.config.ts'
const run = (command, ...args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', shell: process.platform === 'win32' })
  if (status !== 0) process.exit(status ?? 1)
}

run('npm', 'run', '--silent', 'build')
run('npx', '--no', 'yosei', 'check', 'examples/observatory/intake.ts', 'examples/observatory/samples')

if (!process.argv.includes('--once')) {
  await build({ configFile: page, logLevel: 'warn' })
  const server = await preview({ configFile: page, logLevel: 'warn', preview: { port: 0, host: '127.0.0.1' } })
  console.log(`\nThe page: ${server.resolvedUrls.local[0]}  (Ctrl+C ends it)`)
}
