/**
 * Builds what the demonstration needs, prints the verdicts of all samples, and serves the API and the page. `--once`
 * ends after the verdicts.
 */
import { spawnSync } from 'node:child_process'
import { createJiti } from 'jiti'
import { build, preview } from 'vite'

const page = 'examples/observatory/page/vite.config.ts'
const run = (command, ...args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', shell: process.platform === 'win32' })
  if (status !== 0) process.exit(status ?? 1)
}

run('npm', 'run', '--silent', 'build')
run(
  'npx',
  '--no',
  'yosei',
  'check',
  'examples/observatory/intake.ts',
  'examples/observatory/samples',
  '--services',
  'examples/observatory/services.ts',
)

if (!process.argv.includes('--once')) {
  const { listen } = await import('yosei/node')
  const load = (file) => createJiti(import.meta.url, { fsCache: false }).import(file, { default: true })
  const [makeService, makeServices] = [await load('./service.ts'), await load('./services.ts')]
  const { url } = await listen(makeService(makeServices()))
  console.log(`\nThe API: try  curl -i '${url}/sessions?limit=500'`)
  await build({ configFile: page, logLevel: 'warn' })
  const server = await preview({ configFile: page, logLevel: 'warn', preview: { port: 0, host: '127.0.0.1' } })
  console.log(`The page: ${server.resolvedUrls.local[0]}  (Ctrl+C ends it)`)
}
