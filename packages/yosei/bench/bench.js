/**
 * Measures the engine against code written by hand and against `JSON.parse`, in one run: each round measures every case
 * once, and a ratio is the median of the rounds' ratios. Prints each ratio beside its bound, writes results.json, and
 * exits with 1 where one is over its bound. `BENCH_ROUNDS=0` calls each case once and measures nothing: it shows that all
 * cases still do what they should. It is run without V8's pretenuring, which takes a loop of a benchmark,
 * where results outlive many collections, for a service, and moves this or that case to slower memory by chance.
 */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { do_not_optimize, measure } from 'mitata'
import { endpoint, intake, integer, judge, judgeValue, lines, list, record, serve, text } from 'yosei'
import { readJsonSchema, writeJsonSchema } from 'yosei/json-schema'
import { prepareCode } from 'yosei/prepared'
import { check, compiled, endpointNode, interpretParts, layRoutes, match, startRun } from '../dist/internals.js'
import { byHand } from './by-hand.js'
import {
  clock,
  demonstration,
  jsonBooking,
  kindByHand,
  kindNames,
  kinds,
  longList,
  ruledBody,
  ruledByHand,
  ruledRows,
  rules,
  unions,
} from './declared.js'
import { cases } from './reference.js'

const rounds = Number(process.env.BENCH_ROUNDS ?? 15)
const median = (values) => [...values].sort((a, b) => a - b)[values.length >> 1]

/**
 * Nanoseconds of each round, by name. Asynchronous functions are measured in batches, so that waiting counts once; what
 * goes through much code is warmed up for longer.
 */
async function interleave(functions, warm = 40e6) {
  const times = Object.fromEntries(Object.keys(functions).map((name) => [name, []]))
  if (rounds === 0) for (const run of Object.values(functions)) await run()
  if (rounds === 0) return times
  for (let round = -1; round < rounds; round++) {
    for (const [name, run] of Object.entries(functions)) {
      // The first round warms up.
      const { p50 } = await measure(run, { min_cpu_time: round < 0 ? warm : 40e6, min_samples: 12 })
      if (round >= 0) times[name].push(p50)
    }
  }
  return times
}

const results = []
/** Notes a ratio of two cases; without a bound it is only reported. */
function note(name, times, above, below, bound) {
  if (rounds === 0) return
  const value = median(times[above].map((time, round) => time / times[below][round]))
  results.push({
    name,
    value: Number(value.toFixed(3)),
    bound: bound ?? null,
    within: bound === undefined ? null : value <= bound,
  })
}
const figures = {}

for (const [index, { name, endpoint: declared, target, body, wrong }] of cases.entries()) {
  // The body alone, as the code by hand has it.
  const solo = endpoint('POST /', { body: declared.bodies[0].node })
  const [json, good, bad] = [JSON.stringify(body), JSON.parse(JSON.stringify(body)), JSON.parse(JSON.stringify(wrong))]
  const { read } = compiled(solo, solo.bodies[0])
  const field = declared.bodies[0].node
  const app = intake({ endpoints: { declared } })
  const pieces = {
    method: declared.method,
    target,
    headers: { 'content-type': 'application/json', 'x-team': 'nebula' },
    body: json,
  }
  const spoiled = { ...pieces, body: JSON.stringify(wrong) }
  const url = `http://observatory.example${target}`
  const hand = byHand[index]
  const times = await interleave({
    'JSON.parse': () => do_not_optimize(JSON.parse(json)),
    'by hand': () => do_not_optimize(hand(good)),
    compiled: () => do_not_optimize(read(undefined, undefined, undefined, undefined, good, startRun(), true, true)),
    interpreted: () => do_not_optimize(interpretParts(solo, solo.bodies[0], { body: good }, startRun(), true)),
    judgeValue: () => do_not_optimize(judgeValue(field, good)),
    '~standard': () => do_not_optimize(field['~standard'].validate(good)),
    'by hand, rejected': () => do_not_optimize(hand(bad)),
    'compiled, rejected': () =>
      do_not_optimize(read(undefined, undefined, undefined, undefined, bad, startRun(), true, true)),
    'interpreted, rejected': () =>
      do_not_optimize(interpretParts(solo, solo.bodies[0], { body: bad }, startRun(), true)),
    'URL and JSON.parse': async () => do_not_optimize([new URL(url), JSON.parse(json)]),
    judge: async () => do_not_optimize(await judge(app, pieces)),
    'judge, rejected': async () => do_not_optimize(await judge(app, spoiled)),
  })
  const small = index === 0
  note(`check ÷ by hand, ${name}`, times, 'compiled', 'by hand', 1.05)
  note(`check ÷ JSON.parse, ${name}`, times, 'compiled', 'JSON.parse', small ? undefined : 0.3)
  note(`rejected ÷ accepted, ${name}`, times, 'compiled, rejected', 'compiled', 2)
  note(`judge ÷ (URL + JSON.parse), ${name}`, times, 'judge', 'URL and JSON.parse', [undefined, 1.6, 1.5][index])
  note(`judge, rejected ÷ accepted, ${name}`, times, 'judge, rejected', 'judge', small ? undefined : 2)
  note(`interpreted ÷ compiled, ${name}`, times, 'interpreted', 'compiled')
  note(`judgeValue ÷ compiled, ${name}`, times, 'judgeValue', 'compiled', small ? undefined : 2)
  note(`~standard ÷ compiled, ${name}`, times, '~standard', 'compiled', small ? undefined : 2)
  figures[name] = {
    bytes: json.length,
    nanoseconds: Object.fromEntries(Object.entries(times).map(([key, all]) => [key, Math.round(median(all))])),
    allocatedBytes: await allocated(() => judge(app, pieces)),
  }
}

/**
 * Bytes that one call allocates: the least of some batches, since a collection inside a batch hides what came before
 * it.
 */
async function allocated(run) {
  const batch = 200
  const seen = []
  for (let i = 0; i < 40; i++) {
    const before = process.memoryUsage().heapUsed
    for (let j = 0; j < batch; j++) await run()
    seen.push((process.memoryUsage().heapUsed - before) / batch)
  }
  return Math.round(median(seen.filter((bytes) => bytes > 0)))
}

/** Shape and rules of parts, as a judgement has them checked. */
function checking(declared, only) {
  const node = endpointNode(declared)
  // In the shape that a judgement gives it.
  const matter = {
    name: 'measured',
    endpoint: node,
    body: node.bodies[0],
    sent: undefined,
    asker: undefined,
    headers: [],
    only,
    form: false,
    engine: compiled,
    parsed: true,
    accept: undefined,
    errors: 50,
    room: 32_000,
    house: undefined,
  }
  const now = clock.getTime()
  return (sent) => {
    matter.sent = sent
    return check(matter, startRun(now))
  }
}
function hold(name, verdict, made) {
  if (verdict.outcome !== 'accepted' || made.errors)
    throw new Error(`${name}: ${JSON.stringify(verdict.faults ?? made)}`)
}

{
  const { endpoint: declared, hand, sent, wrong } = demonstration
  const judged = checking(declared)
  hold('booking', judged(sent), hand(sent))
  const json = JSON.stringify(sent.body)
  const times = await interleave({
    'JSON.parse': () => do_not_optimize(JSON.parse(json)),
    'by hand': () => do_not_optimize(hand(sent)),
    checked: () => do_not_optimize(judged(sent)),
    rejected: () => do_not_optimize(judged(wrong)),
  })
  note('booking as declared ÷ by hand', times, 'checked', 'by hand', 1.1)
  note('booking as declared ÷ JSON.parse', times, 'checked', 'JSON.parse', 0.75)
  note('booking rejected ÷ accepted', times, 'rejected', 'checked', 2)
  figures['booking as declared'] = {
    bytes: json.length,
    nanoseconds: Object.fromEntries(Object.entries(times).map(([key, all]) => [key, Math.round(median(all))])),
  }
}
{
  const { endpoint: declared, hand, sent } = longList
  const judged = checking(declared)
  hold('long list', judged(sent), hand(sent))
  const json = JSON.stringify(sent.body)
  const times = await interleave({
    'JSON.parse': () => do_not_optimize(JSON.parse(json)),
    'by hand': () => do_not_optimize(hand(sent)),
    checked: () => do_not_optimize(judged(sent)),
  })
  note('1,000 elements, four rules ÷ by hand', times, 'checked', 'by hand', 1.1)
  note('1,000 elements, four rules ÷ JSON.parse', times, 'checked', 'JSON.parse', 0.85)
  figures['1,000 elements, four rules'] = {
    bytes: json.length,
    nanoseconds: Object.fromEntries(Object.entries(times).map(([key, all]) => [key, Math.round(median(all))])),
  }
}
const twenty = (one) => Object.fromEntries(kindNames.map((name) => [name, one]))
for (const [name, field, value, readByHand] of kinds) {
  // Twenty of them, so that it is the kind that is measured.
  const solo = endpointNode(endpoint('POST /', { body: record(twenty(field)) }))
  const { read } = compiled(solo, solo.bodies[0])
  const judged = (body) => read(undefined, undefined, undefined, undefined, body, startRun(clock.getTime()), true, true)
  const hand = kindByHand(readByHand)
  const sent = { body: twenty(value) }
  hold(name, checking(solo)(sent), hand(sent.body))
  const times = await interleave({
    'by hand': () => do_not_optimize(hand(sent.body)),
    checked: () => do_not_optimize(judged(sent.body)),
  })
  note(`kind ${name} ÷ by hand`, times, 'checked', 'by hand', 1.5)
}
for (const [name, field, value, byJson, written, byText] of unions)
  for (const [source, part, sent, readByHand, options] of [
    ['JSON', 'body', value, byJson, {}],
    ['coerced', 'body', written, byText, { coerce: true }],
    ['text', 'query', written, byText, {}],
  ]) {
    const fields = twenty(field)
    const solo = endpoint('POST /', { ...options, [part]: part === 'body' ? record(fields) : fields })
    const judged = checking(solo)
    const parts = { [part]: twenty(sent) }
    const hand = kindByHand(readByHand, part)
    hold(`${name}, ${source}`, judged(parts), hand(parts[part]))
    const times = await interleave({
      'by hand': () => do_not_optimize(hand(parts[part])),
      checked: () => do_not_optimize(judged(parts)),
    })
    note(`union ${name}, ${source} ÷ by hand`, times, 'checked', 'by hand', 1.5)
  }
{
  // One part of a request, as a form in a page is judged, beside the whole of it.
  const { endpoint: declared, sent } = demonstration
  const [whole, alone] = [checking(declared), checking(declared, ['body'])]
  const times = await interleave({
    'whole request': () => do_not_optimize(whole(sent)),
    'body only': () => do_not_optimize(alone({ body: sent.body })),
  })
  note('booking, `only` its body ÷ the whole', times, 'body only', 'whole request', 1.1)
}
for (const count of [1, 1000, 10_000])
  for (const [name, declared, byRule, change = (body) => body] of rules) {
    const judged = checking(endpoint('POST /', { body: ruledBody, rules: declared }))
    const hand = ruledByHand(byRule)
    const sent = { body: change(ruledRows(count)) }
    hold(name, judged(sent), hand(sent.body))
    const times = await interleave({
      'by hand': () => do_not_optimize(hand(sent.body)),
      checked: () => do_not_optimize(judged(sent)),
    })
    note(`rule ${name}, ${count} ÷ by hand`, times, 'checked', 'by hand', 1.5)
  }
// A body by its JSON Schema: as declared, as read, and with a keyword that no field has; and one that is judged as a whole.
{
  const { schema } = writeJsonSchema(jsonBooking.field)
  const json = JSON.stringify(jsonBooking.value)
  const value = JSON.parse(json)
  const of = (field) => {
    const solo = endpointNode(endpoint('POST /', { body: field }))
    const { read } = compiled(solo, solo.bodies[0])
    if (judgeValue(field, value).outcome !== 'accepted') throw new Error('the body of the schema is rejected')
    return () => do_not_optimize(read(undefined, undefined, undefined, undefined, value, startRun(), true, true))
  }
  const assert = { formats: 'assert' }
  const times = await interleave({
    declared: of(jsonBooking.field),
    read: of(readJsonSchema(schema, assert)),
    'with not': of(readJsonSchema({ ...schema, not: { required: ['cancelled'] } }, assert)),
    closed: of(readJsonSchema({ ...schema, additionalProperties: undefined, unevaluatedProperties: false }, assert)),
    whole: of(readJsonSchema({ ...schema, patternProperties: { '^x-': {} } }, assert)),
    'JSON.parse': () => do_not_optimize(JSON.parse(json)),
  })
  note('JSON Schema of the booking ÷ the same declared', times, 'read', 'declared', 1.15)
  note('JSON Schema with `not` ÷ declared without', times, 'with not', 'declared')
  note('JSON Schema with `unevaluatedProperties` ÷ declared', times, 'closed', 'declared', 1.15)
  note('JSON Schema with `patternProperties` ÷ declared', times, 'whole', 'declared')
}

{
  const body = record({ a: integer(), name: text() })
  const lookups = (on) => ({
    one: on.lookup({ reads: ['body.a'], ask: (services, [a]) => services.one(a) }),
    two: on.lookup({ reads: ['body.name'], ask: (services, [name]) => services.one(name) }),
    three: on.lookup({ reads: ['body.a', 'body.name'], ask: (services, [a]) => services.one(a) }),
  })
  const services = { one: async (id) => ({ id }) }
  const app = intake({ endpoints: { put: endpoint('POST /x', { body, lookups }) } })
  const plain = intake({ endpoints: { put: endpoint('POST /x', { body }) } })
  const identify = ({ headers }) => services.one(headers.get('authorization'))
  const known = intake({ endpoints: plain.endpoints, identify })
  const guarded = endpoint('POST /x', { body, who: record({ id: text() }), may: (on) => on.is('who.id', 'Bearer abc') })
  const entering = intake({ endpoints: { put: guarded }, identify })
  const attested = intake({ endpoints: { put: endpoint('POST /x', { body, attest: () => true, keepBytes: true }) } })
  const one = (on) => on.lookup({ reads: ['body.a'], ask: (services, [a]) => services.one(a) })
  const looking = intake({ endpoints: { put: endpoint('POST /x', { body, lookups: (on) => ({ one: one(on) }) }) } })
  const late = (on) => {
    const found = one(on)
    return { found, after: on.after({ found }, (_, on) => [on.fits('body.a', integer({ max: 5 }))]) }
  }
  const after = intake({ endpoints: { put: endpoint('POST /x', { body, lookups: late }) } })
  const row = record({ sku: text(), count: integer({ min: 1 }) })
  const rows = Array.from({ length: 1000 }, (_, n) => ({ sku: `s${n % 700}`, count: 1 + (n % 5) }))
  const taking = (options, more = {}) =>
    intake({ endpoints: { put: endpoint('POST /x', { body: record({ rows: list(row, options) }), ...more }) } })
  const each = (on) => ({
    known: on.lookup({ batch: true, reads: ['body.rows[].sku'], ask: (services, [skus]) => services.many(skus) }),
  })
  services.many = async (skus) => new Map(skus.map((sku) => [sku, { sku }]))
  const [whole, piecewise, batch] = [taking({}), taking({ piecewise: true }), taking({}, { lookups: each })]
  const rowsPieces = { method: 'POST', target: '/x', headers: { 'content-type': 'application/json' } }
  rowsPieces.body = JSON.stringify({ rows })
  const put = endpoint('POST /x', { body: { 'application/x-ndjson': lines(cases[0].endpoint.bodies[0].node) } })
  const many = intake({ endpoints: { put } })
  const oneALine = Array(100).fill(JSON.stringify(cases[0].body)).join('\n')
  const pieces = {
    method: 'POST',
    target: '/x',
    headers: { 'content-type': 'application/json', accept: '*/*', authorization: 'Bearer abc' },
    body: '{"a":1,"name":"x"}',
  }
  const linesPieces = { ...pieces, headers: { 'content-type': 'application/x-ndjson' }, body: oneALine }
  const json = JSON.stringify(cases[1].body)
  const handle = serve(plain, { put: ({ body: { a } }) => ({ isOne: a === 1 }) })
  const request = () =>
    new Request('http://observatory.example/x', { method: 'POST', headers: pieces.headers, body: pieces.body })
  const rejecting = serve(plain, { put: () => undefined })
  const naming = ([part, ...names]) => (part === 'body' ? ['order', ...names].join('.') : String(names[0]))
  const rejectingByNames = serve(intake({ endpoints: plain.endpoints, naming }), { put: () => undefined })
  const wrong = () =>
    new Request('http://observatory.example/x', { method: 'POST', headers: pieces.headers, body: '{"a":"x","b":1}' })
  const times = await interleave(
    {
      'JSON.parse of 0.7 kB': async () => do_not_optimize(JSON.parse(json)),
      'three lookups': async () => do_not_optimize(await judge(app, pieces, { services })),
      'judge of lines': async () => do_not_optimize(await judge(many, linesPieces)),
      'JSON.parse of lines': async () => do_not_optimize(oneALine.split('\n').map((line) => JSON.parse(line))),
      'judge without services': async () => do_not_optimize(await judge(plain, pieces, { services })),
      'judge with identify': async () => do_not_optimize(await judge(known, pieces, { services })),
      'judge with who and may': async () => do_not_optimize(await judge(entering, pieces, { services })),
      'judge with attest': async () => do_not_optimize(await judge(attested, pieces, { services })),
      'judge with one lookup': async () => do_not_optimize(await judge(looking, pieces, { services })),
      'judge with a rule after it': async () => do_not_optimize(await judge(after, pieces, { services })),
      '1,000 rows': async () => do_not_optimize(await judge(whole, rowsPieces)),
      '1,000 rows, piecewise': async () => do_not_optimize(await judge(piecewise, rowsPieces)),
      '1,000 rows in a batch': async () => do_not_optimize(await judge(batch, rowsPieces, { services })),
      'a batch by hand': async () => {
        const { input } = await judge(whole, rowsPieces)
        const found = await services.many([...new Set(input.body.rows.map(({ sku }) => sku))])
        do_not_optimize(input.body.rows.every(({ sku }) => found.has(sku)))
      },
      rejected: async () => do_not_optimize(await (await rejecting(wrong())).text()),
      'rejected, with naming': async () => do_not_optimize(await (await rejectingByNames(wrong())).text()),
      bare: async () => do_not_optimize(await Promise.all([services.one(1), services.one('x'), services.one(1)])),
      serve: async () => do_not_optimize(await (await handle(request())).text()),
      'read and answered': async () => {
        const sent = await request().json()
        const answer = new Response(JSON.stringify({ isOne: sent.a === 1 }), {
          headers: { 'content-type': 'application/json' },
        })
        do_not_optimize(await answer.text())
      },
    },
    1e9,
  )
  times.identify = times['judge with identify'].map((time, round) => time - times['judge without services'][round])
  times.who = times['judge with who and may'].map((time, round) => time - times['judge with identify'][round])
  times.attest = times['judge with attest'].map((time, round) => time - times['judge without services'][round])
  times.after = times['judge with a rule after it'].map((time, round) => time - times['judge with one lookup'][round])
  note('judge with attest − without ÷ JSON.parse of 0.7 kB', times, 'attest', 'JSON.parse of 0.7 kB')
  note('a rule after a lookup ÷ JSON.parse of 0.7 kB', times, 'after', 'JSON.parse of 0.7 kB')
  note('1,000 rows, piecewise ÷ not', times, '1,000 rows, piecewise', '1,000 rows', 1.5)
  note('1,000 rows in a batch ÷ by hand', times, '1,000 rows in a batch', 'a batch by hand', 1.5)
  times.lookups = times['three lookups'].map((time, round) => time - times.bare[round])
  note('judge with three lookups − bare ÷ JSON.parse of 0.7 kB', times, 'lookups', 'JSON.parse of 0.7 kB', 2)
  note('judge with identify − without ÷ JSON.parse of 0.7 kB', times, 'identify', 'JSON.parse of 0.7 kB')
  note('judge with who and may − without ÷ JSON.parse of 0.7 kB', times, 'who', 'JSON.parse of 0.7 kB')
  note('judge of 100 lines ÷ JSON.parse of each', times, 'judge of lines', 'JSON.parse of lines', 1.75)
  note('serve of three errors, with naming ÷ without', times, 'rejected, with naming', 'rejected')
  note('serve ÷ read and answered', times, 'serve', 'read and answered', 1.25)
  figures['lookups and serve'] = {
    bytes: pieces.body.length,
    nanoseconds: Object.fromEntries(Object.entries(times).map(([key, all]) => [key, Math.round(median(all))])),
  }
}

const routes = Object.fromEntries(
  [10, 1000].map((count) => {
    const names = Array.from({ length: count }, (_, n) => `part-${n}`)
    const endpoints = Object.fromEntries(
      names.map((name) => [name, endpoint(`GET /teams/{team}/${name}/{id}`, { path: { team: text(), id: text() } })]),
    )
    return [
      count,
      {
        tree: layRoutes(intake({ endpoints })),
        targets: Array.from({ length: 10 }, (_, n) => `/teams/nebula/${names[Math.floor((n * count) / 10)]}/17`),
      },
    ]
  }),
)
const matchAll =
  ({ tree, targets }) =>
  () => {
    for (const target of targets) do_not_optimize(match(tree, 'GET', target))
  }
const matching = await interleave({ 10: matchAll(routes[10]), 1000: matchAll(routes[1000]) })
note('matching among 1,000 ÷ among 10', matching, '1000', '10', 1.5)

/** What an endpoint without rules is declared of, each time anew. */
const partsOf = ({ path, query, header, bodies: [{ node }] }) => ({
  path: path.fields,
  query: query.fields,
  header: header.fields,
  body: record(node.fields),
})
const first = []
for (let i = 0; i < 60; i++) {
  const { endpoint: declared, target, body } = cases[1]
  const again = endpoint(`POST ${declared.template}`, partsOf(declared))
  const app = intake({ endpoints: { again } })
  const pieces = {
    method: 'POST',
    target,
    headers: { 'content-type': 'application/json', 'x-team': 'nebula' },
    body: JSON.stringify(body),
  }
  const start = performance.now()
  await judge(app, pieces)
  first.push(performance.now() - start)
}
// The very first of a process also loads what is shared by all.
const [cold] = first
results.push({
  name: 'first judgement of an endpoint, ms',
  value: Number(median(first).toFixed(3)),
  bound: 2,
  within: median(first) <= 2,
})
figures.firstJudgement = {
  milliseconds: { median: Number(median(first).toFixed(3)), firstOfTheProcess: Number(cold.toFixed(3)) },
}

{
  // Code made ahead of time: as quick as that which is made in place, and there when a service starts.
  const folder = mkdtempSync(fileURLToPath(new URL('../dist/prepared-', import.meta.url)))
  const give = async (app, name) => {
    const file = `${folder}/${name}.mjs`
    writeFileSync(file, prepareCode(app, { command: 'yosei prepare' }))
    return () => import(file)
  }
  const { endpoint: declared, sent } = demonstration
  const app = intake({ endpoints: { declared } })
  const { prepared } = await (await give(app, 'booking'))()
  const [inPlace, ahead] = [checking(declared), checking(prepared(app).endpoints.declared)]
  const times = await interleave({
    'in place': () => do_not_optimize(inPlace(sent)),
    ahead: () => do_not_optimize(ahead(sent)),
  })
  note('booking, prepared ÷ compiled in place', times, 'ahead', 'in place', 1.05)

  // Each time by other names: V8 keeps the code of a text that it has seen.
  const many = (name) => {
    const { endpoint: one } = cases[1]
    const each = (_, n) => [`${name}${n}`, endpoint(`POST /n${n}${one.template}`, partsOf(one))]
    return intake({ endpoints: Object.fromEntries(Array.from({ length: rounds === 0 ? 2 : 1000 }, each)) })
  }
  const { target, body } = cases[1]
  const headers = { 'content-type': 'application/json', 'x-team': 'nebula' }
  const first = async (app, begin = async (one) => one) => {
    const text = JSON.stringify(body)
    const start = performance.now()
    const begun = await begin(app)
    for (let n = 0; n < Object.keys(app.endpoints).length; n++)
      await judge(begun, { method: 'POST', target: `/n${n}${target}`, headers, body: text })
    return performance.now() - start
  }
  const starts = { ahead: [], 'in place': [] }
  for (let round = 0; round < Math.max(1, Math.min(rounds, 5)); round++) {
    const load = await give(many(`a${round}n`), `many${round}`)
    starts['in place'].push(await first(many(`p${round}n`)))
    starts.ahead.push(await first(many(`a${round}n`), async (one) => (await load()).prepared(one)))
  }
  note('first judgement of all of 1,000 endpoints, prepared ÷ not', starts, 'ahead', 'in place', 0.5)
  rmSync(folder, { recursive: true })
}

if (rounds === 0) process.exit()

const shown = results.map(({ name, value, bound, within }) => [
  name,
  value.toFixed(3),
  bound === null ? '' : `≤ ${bound}`,
  within === null ? '' : within ? 'within' : 'OVER',
])
const widths = [0, 1, 2].map((column) => Math.max(...shown.map((row) => row[column].length)))
for (const [name, value, bound, within] of shown)
  console.log(`${name.padEnd(widths[0])}  ${value.padStart(widths[1])}  ${bound.padEnd(widths[2])}  ${within}`)
for (const [name, { bytes, nanoseconds, allocatedBytes }] of Object.entries(figures)) {
  if (nanoseconds)
    console.log(
      `\n${name} (${bytes} bytes), nanoseconds: ${Object.entries(nanoseconds)
        .map(([key, time]) => `${key} ${time}`)
        .join(', ')}${allocatedBytes === undefined ? '' : `; a judgement allocates ${allocatedBytes} bytes`}`,
    )
}
writeFileSync(
  fileURLToPath(new URL('results.json', import.meta.url)),
  `${JSON.stringify({ ratios: results, figures, node: process.version }, null, 2)}\n`,
)
process.exitCode = results.some(({ within }) => within === false) ? 1 : 0
