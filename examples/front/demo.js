/**
 * The mast's server, and a front before it that first only observes. The journal says what callers get wrong; then the
 * front enforces. Everything ends by itself.
 */
import { spawn, spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { fileURLToPath } from 'node:url'
import { startMast } from './mast.js'

const yosei = fileURLToPath(new URL('../../packages/yosei-cli/bin/yosei.js', import.meta.url))
const description = fileURLToPath(new URL('openapi.yaml', import.meta.url))
const folder = mkdtempSync(join(tmpdir(), 'front-'))
const journal = join(folder, 'front.ndjson')

/** Starts the command, and gives the address that it prints first. */
async function startFront(...options) {
  const args = [yosei, 'front', description, '--to', mast.url, '--port', '0', ...options]
  console.log(`\n$ yosei front openapi.yaml --to ${mast.url} ${options.join(' ').replace(journal, 'front.ndjson')}`)
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'] })
  const [url] = await new Promise((resolve, reject) => {
    createInterface({ input: child.stdout }).once('line', (line) => resolve([line]))
    child.once('exit', () => reject(new Error('the front did not start')))
  })
  const close = () =>
    new Promise((resolve) => {
      child.removeAllListeners('exit').once('exit', resolve)
      child.kill('SIGTERM')
    })
  return { url, close }
}

const reading = { taken: '2031-03-01T22:00:00Z', celsius: -3.5, humidity: 81, sky: 'clear' }
const calls = [
  ['a good reading', 'POST', '/readings', reading],
  ['a temperature in words', 'POST', '/readings', { ...reading, celsius: 'mild' }],
  ['two mistakes', 'POST', '/readings', { ...reading, humidity: 181, taken: 'last night' }],
  ['the same mistake again', 'POST', '/readings', { ...reading, humidity: 140 }],
  ['a good question', 'GET', '/readings?limit=5'],
  ['a question that is not known', 'GET', '/readings?first=5'],
]
async function sendAll(url) {
  for (const [what, method, target, value] of calls) {
    const body = value && { body: JSON.stringify(value), headers: { 'content-type': 'application/json' } }
    const answer = await fetch(url + target, { method, ...body })
    const { fields = {} } = await answer.json()
    const errors = Object.entries(fields).flatMap(([address, all]) => all.map(({ detail }) => `${address} ${detail}`))
    console.log(`${answer.status}  ${what}${errors.map((error) => `\n       ${error}`).join('')}`)
  }
}

const mast = await startMast()
try {
  const observing = await startFront('--observe', '--journal', journal)
  await sendAll(observing.url)
  await observing.close()
  console.log(`The mast has ${mast.readings.length} readings; three of them are wrong.\n\n$ yosei tally front.ndjson`)
  spawnSync(process.execPath, [yosei, 'tally', journal], { stdio: 'inherit' })

  mast.readings.length = 0
  const enforcing = await startFront('--journal', journal)
  await sendAll(enforcing.url)
  await enforcing.close()
  console.log(`The mast has ${mast.readings.length} reading.`)
} finally {
  mast.server.close()
  rmSync(folder, { recursive: true, force: true })
}
