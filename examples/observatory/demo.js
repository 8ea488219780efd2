/**
 * Builds what the demonstration needs, prints the verdicts of all samples, and serves the API and the desk. `--once`
 * ends after the verdicts.
 */
import { spawn, spawnSync } from 'node:child_process'
import { createJiti } from 'jiti'

const shell = process.platform === 'win32'
const run = (command, ...args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', shell })
  if (status !== 0) process.exit(status ?? 1)
}
const module = (name) => `examples/observatory/${name}.ts`
const about = [module('intake'), 'examples/observatory/samples', '--services', module('services')]

run('npm', 'run', '--silent', 'build')
run('npx', '--no', 'yosei', 'check', ...about)

if (!process.argv.includes('--once')) {
  const { listen } = await import('yosei/node')
  const load = (file) => createJiti(import.meta.url, { fsCache: false }).import(file, { default: true })
  const [makeService, makeServices] = [await load('./service.ts'), await load('./services.ts')]
  const { url } = await listen(makeService(makeServices()))
  console.log(`\nThe API: ${url}  (try  curl -i '${url}/sessions?limit=500')`)
  const desk = spawn('npx', ['--no', 'yosei', 'desk', ...about], { stdio: 'inherit', shell })
  desk.on('exit', (code) => process.exit(code ?? 0))
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => desk.kill(signal))
}
