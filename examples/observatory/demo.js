/**
 * Builds what the demonstration needs, prints the verdicts of all samples, and starts the service with its pages, and
 * the desk. With `--once` it sends every sample over HTTP instead, asks for each page, and ends: 0 where all is as the
 * books say.
 */
import { spawn, spawnSync } from 'node:child_process'
import { readdirSync, readFileSync, rmSync } from 'node:fs'
import { createServer } from 'node:http'
import { createServer as createListener } from 'node:net'
import { createJiti } from 'jiti'
import { listenerOf } from 'yosei/node'

const shell = process.platform === 'win32'
const run = (command, ...args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit', shell })
  if (status !== 0) process.exit(status ?? 1)
}
const file = (name) => `examples/observatory/${name}`
const about = [file('intake.ts'), file('samples'), '--services', file('services.ts')]
const load = (name) => createJiti(import.meta.url, { fsCache: false }).import(name)

run('npm', 'run', '--silent', 'build')
// In a process of its own, since what builds pages keeps its memory.
run(process.execPath, file('page/build.js'))
run('npx', '--no', 'yosei', 'desk', ...about, '-o', file('dist/desk'))
run('npx', '--no', 'yosei', 'check', ...about)

const { start } = await load('./server/start.ts')
const isOnce = process.argv.includes('--once')
// Ports that stay from one start to the next, so that a tab that is open still works.
const port = isOnce ? 0 : 4210
rmSync(file('dist/database'), { recursive: true, force: true })
const { url, close } = await start({
  journal: file('dist/journal.ndjson'),
  folder: file('dist/database'),
  port,
  orNext: true,
})
if (isOnce) process.exitCode = await once()
else {
  console.log(`\nThe booking page: ${url}/`)
  console.log(`The operators' page: ${url}/operator`)
  console.log(`The desk without a server, as for a documentation: ${url}/desk/`)
  console.log(`The API: try  curl -i '${url}/sessions?limit=500'  (also ${url}/health and ${url}/metrics)`)
  const deskPort = await freePort(Number(new URL(url).port) + 1)
  // Not by npx, which does not pass signals on.
  const desk = spawn(
    process.execPath,
    ['packages/yosei-cli/bin/yosei.js', 'desk', ...about, '--port', String(deskPort)],
    { stdio: ['ignore', 'inherit', 'inherit'] },
  )
  const end = async () => {
    desk.kill()
    await close()
    process.exit(0)
  }
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, end)
  desk.once('exit', end)
}

/** The first port from this one on that nothing listens on; 0 if there is none. */
async function freePort(from) {
  for (let port = from; port < from + 100; port++) {
    const isFree = await new Promise((known) => {
      const listener = createListener().once('error', () => known(false))
      listener.listen(port, '127.0.0.1', () => listener.close(() => known(true)))
    })
    if (isFree) return port
  }
  return 0
}

/** @returns The exit code. */
async function once() {
  const [{ default: makeService }, { default: makeServices }] = [
    await load('./service.ts'),
    await load('./services.ts'),
  ]
  // By the clock of each book, and with stand-ins made afresh for each request, as the books have it.
  let clock = new Date()
  const server = createServer((request, response) =>
    listenerOf(makeService(makeServices(), { now: () => clock }))(request, response),
  )
  await new Promise((listening) => server.listen(0, '127.0.0.1', listening))
  const base = `http://127.0.0.1:${server.address().port}`
  let odd = 0
  for (const book of readdirSync(file('samples')).map((name) => file(`samples/${name}`))) {
    const [, said] = /^now: (.*)$/m.exec(readFileSync(book, 'utf8')) ?? []
    clock = said === undefined ? new Date() : new Date(said)
    const sent = spawn('npx', ['--no', 'yosei', 'send', base, book], { shell })
    let printed = ''
    for (const stream of [sent.stdout, sent.stderr]) stream.on('data', (chunk) => (printed += chunk))
    const status = await new Promise((ended) => sent.once('close', ended))
    console.log(status === 0 ? `${book}: ${printed.trimEnd().split('\n').at(-1)}` : printed)
    if (status !== 0) odd++
  }
  server.close()
  for (const path of [
    '/',
    '/operator',
    '/desk/',
    '/desk/assets/bench.js',
    '/health',
    '/metrics',
    '/sessions',
    '/telescopes',
  ]) {
    const { ok, status: came } = await fetch(url + path)
    if (ok) continue
    console.log(`${url}${path}: ${came}`)
    odd++
  }
  await close()
  return odd === 0 ? 0 : 1
}
