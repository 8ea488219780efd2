/**
 * Attacks the library for as long as it is reported: node attack.js [--seconds 60]. Each round compares the two engines with
 * an oracle and with each other on declarations, rules and values made at random, sends spoiled messages, uploads and connections that
 * break off to a server, and measures how every reader of text grows. Prints what was tried; exits with 1 at the first
 * throw, hang or difference. The generators are those of the tests.
 */
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { transformFileSync } from '@swc/core'
import fc from 'fast-check'
import { codeOf, endpoint, file, intake, integer, list, outline, record, serve, table, text } from 'yosei'
import { listen } from 'yosei/node'

const { values } = parseArgs({ options: { seconds: { type: 'string', default: '60' }, seed: { type: 'string' } } })
const seconds = Number(values.seconds)
const seed = Number(values.seed ?? Date.now() % 1_000_000)

const made = new Set()
/** A module of the tests, without its types, and those that it imports. */
function unTyped(name) {
  const path = fileURLToPath(new URL(`../test/made/${name}.js`, import.meta.url))
  if (made.has(name)) return path
  made.add(name)
  mkdirSync(dirname(path), { recursive: true })
  const source = fileURLToPath(new URL(`../test/${name}.ts`, import.meta.url))
  const options = { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'es6' } }
  const code = transformFileSync(source, options)
    .code.replaceAll("'../dist/", "'../../dist/")
    .replaceAll(/(["'])\.\/([\w-]+)\.ts\1/g, "'./$2.js'")
  for (const [, imported] of code.matchAll(/'\.\/([\w-]+)\.js'/g)) unTyped(imported)
  writeFileSync(path, code)
  return path
}
const fromTests = (name) => import(unTyped(name))
const { bothVerdicts, enginePairs } = await fromTests('samples')
const { growthOf, mostGrowth, readers, repetitive } = await fromTests('growth')
const { spoilt } = await fromTests('hostile')
const { cases, differences, spec } = await fromTests('oracle-cases')
const { misreadings } = await fromTests('oracle-readers')
const { servedDifferences } = await fromTests('oracle-served')
const { kinds, marks, outputs, places, written } = await fromTests('secrets')
const { miswritten, writings } = await fromTests('written')
const { misread, negotiations } = await fromTests('negotiated')

const counts = {
  judged: 0,
  served: 0,
  read: 0,
  pairs: 0,
  messages: 0,
  uploads: 0,
  dropped: 0,
  texts: 0,
  secrets: 0,
  requests: 0,
  wishes: 0,
}
const folder = mkdtempSync(join(tmpdir(), 'attack-'))
process.env.TMPDIR = folder
const fail = (what, detail) => {
  console.error(`${what} (seed ${seed})\n`, detail)
  console.log(report())
  process.exit(1)
}
const report = () =>
  Object.entries(counts)
    .map(([name, count]) => `${count} ${name}`)
    .join(', ')
for (const event of ['uncaughtException', 'unhandledRejection']) process.on(event, (error) => fail(event, error))
/** What is begun has to end. */
async function inTime(name, work) {
  const late = sleep(60_000, 'late', { ref: false })
  if ((await Promise.race([work, late])) === 'late') fail(`${name} hangs`, '')
}

let next = seed
const failures = []
const app = intake({
  limits: { receive: '2s', handle: '2s' },
  journal: { write: (event) => event.outcome === 'failed' && failures.push(event) },
  endpoints: {
    list: endpoint('GET /items/{id}', {
      path: { id: integer() },
      query: { tag: list(text(), { optional: true }), filter: record({ state: text() }, { optional: true }) },
      header: { 'x-page': list(integer(), { optional: true }) },
      cookie: { theme: text({ optional: true }) },
    }),
    make: endpoint('POST /items', {
      body: { 'application/json': table(record({ a: integer(), b: list(text()) })), 'text/plain': text() },
    }),
    form: endpoint('POST /form', {
      body: { 'multipart/form-data': record({ title: text(), plate: file({ bytes: '100kB' }) }) },
    }),
  },
})
const { port, close } = await listen(
  serve(app, { list: (input) => input, make: ({ body }) => body, form: ({ body }) => body.plate.bytes }),
)

const message = (head, body = '') =>
  Buffer.from(
    `${head}\r\nHost: kr.example\r\n${body === '' ? '' : `Content-Length: ${Buffer.byteLength(body)}\r\n`}\r\n${body}`,
    'latin1',
  )
const part = (name, more, content) =>
  `--x\r\nContent-Disposition: form-data; name="${name}"${more}\r\n\r\n${content}\r\n`
const upload = message(
  'POST /form HTTP/1.1\r\nContent-Type: multipart/form-data; boundary=x',
  `${part('title', '', 'a')}${part('plate', '; filename="p"\r\nContent-Type: image/png', 'x'.repeat(50_000))}--x--\r\n`,
)
const messages = [
  message('GET /items/7?tag=a&tag=b&filter[state]=on HTTP/1.1\r\nX-Page: 1, 2\r\nCookie: theme=dark'),
  message('POST /items HTTP/1.1\r\nContent-Type: application/json', '{"one":{"a":1,"b":["x"]}}'),
  message('POST /items HTTP/1.1\r\nContent-Type: application/json\r\nExpect: 100-continue', '{"one":{"a":"x"}}'),
  Buffer.from(
    'POST /items HTTP/1.1\r\nHost: x\r\nContent-Type: text/plain\r\nTransfer-Encoding: chunked\r\n\r\n3\r\nabc\r\n0\r\n\r\n',
  ),
  upload,
]

/** Sends over a connection of its own, until there is an answer; or lets go after so many milliseconds. */
const exchange = (raw, letGo) =>
  new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(raw))
    let came = ''
    // A busy machine may stand still for seconds; what hangs, hangs for longer.
    socket.setTimeout(30_000, () => fail('no answer', raw.toString('latin1').slice(0, 500)))
    socket.on('data', (chunk) => {
      came += chunk.toString('latin1')
      if (/HTTP\/1\.1 (?!100)/.test(came)) socket.destroy()
    })
    socket.on('error', () => undefined)
    socket.on('close', () => resolve(came.match(/HTTP\/1\.1 (?!100)(\d+)/)?.[1]))
    if (letGo !== undefined) setTimeout(() => socket.destroy(), letGo)
  })

/** Cases made at random, none of which may make a difference: the smallest that does is reported. */
async function compared(what, counted, numRuns, arbitraries, differencesOf) {
  const agree = fc.asyncProperty(...arbitraries, async (...one) => (await differencesOf(...one)).length === 0)
  const { failed, counterexample, error } = await fc.check(agree, { seed: next++, numRuns })
  counts[counted] += numRuns
  if (failed) fail(what, (counterexample ? (await differencesOf(...counterexample)).join('\n') : '') || error)
}

const rounds = [
  /** What the engines say, and what a judge says that was written from the docs. */
  function oracle() {
    return compared('the engines and the oracle differ', 'judged', 200, [cases], differences)
  },
  /** The same behind `serve`: elements judged alone, rules that only observe, and rules after a lookup. */
  function served() {
    return compared('the engines and the oracle differ behind serve', 'served', 40, [cases, spec], servedDifferences)
  },
  /** What schemas, descriptions and probes say of them. */
  function described() {
    return compared('a reader says otherwise', 'read', 20, [cases], misreadings)
  },
  async function engines() {
    for (const pair of fc.sample(enginePairs, { seed: next++, numRuns: 100 }))
      for (const { compiled, interpreted } of bothVerdicts(pair)) {
        counts.pairs++
        if (compiled !== interpreted) fail('the engines differ', `${compiled}\n${interpreted}`)
      }
  },
  async function spoiled() {
    const all = fc.sample(spoilt(messages), { seed: next++, numRuns: 60 }).filter(({ length }) => length > 0)
    const statuses = await Promise.all(all.map((raw) => exchange(raw)))
    counts.messages += all.length
    const broken = statuses.findIndex((status) => status === undefined || status === '500')
    if (broken >= 0)
      fail(`a message was answered with ${statuses[broken]}`, all[broken].toString('latin1').slice(0, 2000))
  },
  async function uploads() {
    const statuses = await Promise.all(Array.from({ length: 10 }, () => exchange(upload)))
    counts.uploads += statuses.length
    if (statuses.some((status) => status !== '200')) fail('an upload was refused', statuses.join())
  },
  async function dropped() {
    const cuts = Array.from({ length: 40 }, (_, index) =>
      exchange(upload.subarray(0, 100 + ((next * 7919 + index * 1301) % upload.length)), (index * 7) % 40),
    )
    await Promise.all(cuts)
    counts.dropped += cuts.length
  },
  async function secrets() {
    const walk = fc.record({
      kind: fc.constantFrom(...Object.keys(kinds).filter((kind) => kind !== 'file')),
      at: fc.nat(),
      nested: fc.array(fc.constantFrom(...Object.keys(places)), { minLength: 1, maxLength: 4 }),
    })
    for (const { kind, at, nested } of fc.sample(walk, { seed: next++, numRuns: 20 })) {
      const [field, ...all] = kinds[kind]
      const body = nested.reduce((below, place) => places[place][0](below), field)
      const value = nested.reduce((below, place) => places[place][1](below), all[at % all.length])
      const declared = endpoint('POST /', { body })
      const sent = {
        method: 'POST',
        target: '/',
        headers: { 'content-type': 'application/json' },
        body: written(value),
      }
      const told = [...(await outputs(declared, sent)), written(outline(declared)), codeOf(declared)]
      counts.secrets++
      const leak = told.find((one) => marks.test(one))
      if (leak) fail(`a secret ${kind} in ${nested.join(' in ')} is told`, `${sent.body}\n${leak.slice(0, 3000)}`)
    }
  },
  /** What clients would like to read, and what they get. */
  async function wishes() {
    for (const one of fc.sample(negotiations, { seed: next++, numRuns: 100 })) {
      counts.wishes++
      const wrong = await misread(one)
      if (wrong) fail('an answer is not what was asked for', wrong)
    }
  },
  /** Requests that the library writes, read again as a server does, kept in a journal, and judged again. */
  async function requests() {
    for (const one of fc.sample(writings, { seed: next++, numRuns: 100 })) {
      counts.requests++
      const wrong = await miswritten(one)
      if (wrong) fail('what was written is not what came', wrong)
    }
  },
  async function growth() {
    const names = Object.keys(readers)
    const name = names[next++ % names.length]
    for (const [unit, end] of repetitive) {
      const measure = () => growthOf((size) => readers[name](unit.repeat(size / unit.length) + end))
      // A busy machine makes one measure or another wrong, but not three.
      let growth = await measure()
      for (let again = 0; again < 2 && growth > mostGrowth; again++) growth = Math.min(growth, await measure())
      counts.texts++
      if (growth > mostGrowth)
        fail(`${name} grows by ${growth.toFixed(1)} for four times as much`, JSON.stringify(unit + end))
    }
  },
]

const end = performance.now() + seconds * 1000
while (performance.now() < end) for (const round of rounds) await inTime(round.name, round())
await inTime('close', close())
// The files of a verdict go with its input.
setFlagsFromString('--expose-gc')
const collectGarbage = runInNewContext('gc')
for (let i = 0; i < 100 && readdirSync(folder).length > 0; i++) {
  collectGarbage()
  await sleep(50)
}
if (readdirSync(folder).length > 0) fail('files were left', readdirSync(folder))
if (failures.length > 0) fail('something failed inside', failures[0])
rmSync(folder, { recursive: true })
console.log(`${report()}: nothing broke in ${seconds} s (seed ${seed})`)
process.exit(0)
