/**
 * Measures the command as whole processes, beside a Node that does nothing and one that reads and parses alone: node
 * bench.js. Prints each figure with its bound; exits with 1 where one is over.
 */
import { spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { createWriteStream, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = fileURLToPath(new URL('../../../', import.meta.url))
const command = join(root, 'packages/yosei-cli/bin/yosei.js')
// Below the workspace, so that what is imported is found.
mkdirSync(join(root, 'packages/yosei-cli/bench/made'), { recursive: true })
const folder = mkdtempSync(join(root, 'packages/yosei-cli/bench/made/'))
const observatory = join(root, 'examples/observatory')
const rounds = 5

/** The median of the seconds that a process takes, and the most memory that it takes, in megabytes. */
function measured(...args) {
  const seen = Array.from({ length: rounds }, () => {
    const since = performance.now()
    const { status, stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, ...args], { encoding: 'utf8' })
    const seconds = (performance.now() - since) / 1000
    if (status > 1) throw new Error(stderr)
    return { seconds, megabytes: Number(stderr.trim().split('\n').at(-1)) / 1000 }
  })
  const median = (of) => seen.map(of).sort((a, b) => a - b)[rounds >> 1]
  return { seconds: median(({ seconds }) => seconds), megabytes: median(({ megabytes }) => megabytes) }
}

let isOver = false
function note(what, value, unit, bound) {
  const over = bound !== undefined && value > bound
  isOver ||= over
  console.log(
    `${what.padEnd(66)} ${value.toFixed(2).padStart(8)} ${unit.padEnd(3)} ${bound === undefined ? '' : `≤ ${bound}${over ? '  over' : ''}`}`,
  )
}

const hour = 3_600_000
const at = (hours) => new Date(Date.now() + hours * hour).toISOString()
const body = {
  target: { name: 'M 31', rightAscension: '05:35:17.3', declination: 41.2 },
  window: { opens: at(100), closes: at(104) },
  exposures: ['clear', 'red', 'blue'].map((filter) => ({ filter, seconds: 60.5, count: 3 })),
  observing: { mode: 'survey', tiles: 20, overlap: 0.1 },
  price: '80.00',
  contact: 'ada@team.example',
  tags: { weather: 'clear', moon: 'dark' },
  note: 'A note of some length, as notes are, so that the whole is as long as a booking is: about seven hundred bytes.',
}
async function requests(name, count) {
  const file = createWriteStream(join(folder, name))
  for (let index = 0; index < count; index++) {
    const line = {
      method: 'POST',
      target: '/telescopes/kr-2/sessions',
      headers: { 'content-type': 'application/json', 'x-team': 'nebula' },
      body: JSON.stringify({ ...body, note: `${body.note} ${index}` }),
    }
    if (!file.write(`${JSON.stringify(line)}\n`)) await once(file, 'drain')
  }
  await once(file.end(), 'finish')
  return join(folder, name)
}
const parsing = join(folder, 'parse.mjs')
writeFileSync(
  parsing,
  `import { createReadStream } from 'node:fs'
import { createInterface } from 'node:readline'
for await (const line of createInterface({ input: createReadStream(process.argv[2]) })) JSON.parse(JSON.parse(line).body)
`,
)
const many = join(folder, 'many.mjs')
writeFileSync(
  many,
  `import { choice, endpoint, flag, instant, intake, integer, number, record, text } from 'yosei'
const kinds = [() => integer({ min: 1, max: 100 }), () => text({ length: [1, 40] }), () => choice(['a', 'b']), () => instant({ from: '+1h' }), () => number({ min: 0, max: 10, optional: true })]
const endpoints = {}
for (let i = 0; i < 1000; i++)
  endpoints['e' + i] = endpoint('POST /things' + i + '/{id}', {
    path: { id: text({ pattern: /^[a-z]{3}-\\d{1,6}$/ }) },
    query: { limit: integer({ min: 1, max: 50, default: 3 }), dry: flag({ default: false }) },
    body: record(Object.fromEntries(Array.from({ length: 17 }, (_, j) => ['f' + j, kinds[j % 5]()]))),
  })
export default intake({ endpoints })
`,
)

/** An endpoint of 32 fields, and a list of that: with rules that are hard to meet, of which the second has one more. */
const wide = (name, isList, more) => {
  const file = join(folder, name)
  writeFileSync(
    file,
    `import { choice, day, decimal, endpoint, instant, intake, integer, list, record, text } from 'yosei'
const kinds = [(i) => text({ length: [1, 20 + i] }), () => text({ format: 'email' }), () => text({ pattern: /^[A-Z]{3}-\\d{4}$/ }), () => integer({ min: 0, max: 100 }), () => instant({ from: '+1d' }), () => choice(['a', 'b']), () => decimal({ scale: 2 }), () => day({ optional: true })]
const rules = (on) => [on.ascending('f4', 'f12'), on.needed('f7', on.is('f5', 'a')), on.atLeastOne('f15', 'f23'), on.differ('f0', 'f8'), on.fits('f1', text({ pattern: /@nebula\\.example$/ }))${more}]
const body = record(Object.fromEntries(Array.from({ length: 32 }, (_, i) => ['f' + i, kinds[i % 8](i)])), { rules })
export default intake({ endpoints: { put: endpoint('PUT /', { body: ${isList ? 'record({ rows: list(body, { length: [1, 5] }) })' : 'body'} }) } })
`,
  )
  return file
}

try {
  const intake = join(observatory, 'intake.ts')
  const [few, lots] = [await requests('few.ndjson', 1000), await requests('lots.ndjson', 100_000)]
  const bare = measured('-e', '0').seconds
  note('node -e 0', bare, 's')
  const started = join(folder, 'function.mjs')
  writeFileSync(
    started,
    `import { endpoint, intake, integer, record, serve, text } from 'yosei'
import { onEvent } from 'yosei/event'
const add = endpoint('POST /notes', { body: record({ title: text(), n: integer() }) })
const handler = onEvent(serve(intake({ endpoints: { add } }), { add: ({ body }) => body }))
const headers = { 'content-type': 'application/json' }
const http = { method: 'POST' }
await handler({ version: '2.0', rawPath: '/notes', headers, requestContext: { http }, body: '{"title":"a","n":1}' })
`,
  )
  note('a serverless function to its first answer − node -e 0', measured(started).seconds - bare, 's', 0.2)
  const samples = [join(observatory, 'samples'), '--services', join(observatory, 'services.ts')]
  note('check on the demonstration', measured(command, 'check', intake, ...samples).seconds, 's', 0.5)
  const [little, much] = [few, lots].map((file) => measured(command, 'check', intake, file, '--quiet'))
  const parsed = measured(parsing, lots)
  note('reading and JSON.parse of 100,000 requests', parsed.seconds, 's')
  note('check of 100,000 requests ÷ reading and JSON.parse', much.seconds / parsed.seconds, '', 3)
  note('memory for 100,000 requests beyond that for 1,000', much.megabytes - little.megabytes, 'MB', 150)
  note('probe of the demonstration', measured(command, 'probe', intake).seconds, 's', 2)
  for (const [what, isList, bound] of [
    ['compare of an endpoint with 32 fields', false, 2],
    ['compare of a list of it', true, 10],
  ]) {
    const files = ['old', 'new'].map((name) =>
      wide(`${name}-${isList}.mjs`, isList, name === 'old' ? '' : ", on.ascending('f3', 'f11')"),
    )
    note(what, measured(command, 'compare', ...files).seconds, 's', bound)
  }
  const thousand = measured(command, 'probe', many)
  note('probe of 1,000 endpoints with 20 fields', thousand.seconds, 's', 30)
  note('memory for that', thousand.megabytes, 'MB')
} finally {
  rmSync(folder, { recursive: true })
}
process.exitCode = isOver ? 1 : 0
