/**
 * Measures the throughput of `listen(serve(…))` against a server of node:http that only receives the body and parses
 * it, on loopback: for requests that are accepted, and for ones with four errors. Each server has a process of its own;
 * they take turns in short rounds, and a ratio is the median of the rounds' ratios. Exits with 1 where one is under its
 * bound. For comparison, without a bound: the same server when it answers with as many bytes as a rejection has.
 *
 * Then against what people would use instead: express with its JSON parser and the same checks by hand; ours behind
 * `listen`, and as a gate in express. And the service with metrics against itself without.
 */
import { fork } from 'node:child_process'
import { once } from 'node:events'
import { createServer } from 'node:http'
import { fileURLToPath } from 'node:url'
import {
  AggregationTemporality,
  InMemoryMetricExporter,
  MeterProvider,
  PeriodicExportingMetricReader,
} from '@opentelemetry/sdk-metrics'
import autocannon from 'autocannon'
import express from 'express'
import { intake, serve } from 'yosei'
import { gate, inputOf, listen } from 'yosei/node'
import { telemetry } from 'yosei/telemetry'
import { checkBooking } from './by-hand.js'
import { booking, cases } from './reference.js'

const answer = { booked: true }

/** Receives, parses, and answers with the same value whatever came. */
async function plain(value) {
  const server = createServer((request, response) => {
    const parts = []
    request.on('data', (chunk) => parts.push(chunk))
    request.on('end', () => {
      JSON.parse(Buffer.concat(parts).toString())
      const body = JSON.stringify(value)
      response
        .writeHead(200, { 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) })
        .end(body)
    })
  })
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return server.address().port
}

const roles = {
  plain: () => plain(answer),
  wordy: () => plain({ ...answer, words: 'x'.repeat(850) }),
  async served() {
    const handle = serve(intake({ endpoints: { booking } }), { booking: () => answer })
    return (await listen(handle)).port
  },
  /** With an SDK that collects, as an exporter would have it. */
  async measured() {
    const reader = new PeriodicExportingMetricReader({
      exporter: new InMemoryMetricExporter(AggregationTemporality.CUMULATIVE),
      exportIntervalMillis: 10_000,
    })
    const meter = new MeterProvider({ readers: [reader] }).getMeter('load')
    const app = intake({ endpoints: { booking }, telemetry: telemetry({ meter }) })
    return (await listen(serve(app, { booking: () => answer }))).port
  },
  expressByHand: () =>
    listening(
      express()
        .use(express.json())
        .post('/telescopes/:telescopeId/sessions', (request, response) => {
          const { input, errors } = checkBooking(request.body)
          if (errors) response.status(422).json({ errors })
          else response.json(input && answer)
        }),
    ),
  expressGate: () =>
    listening(
      express()
        .use(gate(intake({ endpoints: { booking } })))
        .post('/telescopes/:telescopeId/sessions', (request, response) => {
          inputOf(booking, request)
          response.json(answer)
        }),
    ),
}

async function listening(app) {
  const server = createServer(app).listen(0, '127.0.0.1')
  await once(server, 'listening')
  return server.address().port
}

const [role] = process.argv.slice(2)
if (role) {
  process.send(await roles[role]())
  process.on('disconnect', () => process.exit())
} else {
  const rounds = Number(process.env.LOAD_ROUNDS ?? 15)
  const seconds = Number(process.env.LOAD_SECONDS ?? 1)
  const children = Object.keys(roles).map((name) => [name, fork(fileURLToPath(import.meta.url), [name])])
  const ports = Object.fromEntries(
    await Promise.all(children.map(async ([name, child]) => [name, (await once(child, 'message'))[0]])),
  )
  const [, { target, body, wrong }] = cases
  const load = async (name, sent, expected) => {
    const { requests, errors, statusCodeStats } = await autocannon({
      url: `http://127.0.0.1:${ports[name]}${target}`,
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-team': 'nebula' },
      body: JSON.stringify(sent),
      connections: 20,
      pipelining: 1,
      duration: seconds,
    })
    const statuses = Object.keys(statusCodeStats).join()
    if (errors > 0 || statuses !== String(expected))
      throw new Error(`${name}: ${errors} errors, statuses ${statuses} where ${expected} was due`)
    return requests.average
  }
  const cases_ = { accepted: [body, 200], rejected: [wrong, 422] }
  const seen = { accepted: [], rejected: [] }
  for (let round = -1; round < rounds; round++) {
    for (const [name, [sent, status]] of Object.entries(cases_)) {
      const plain = await load('plain', sent, 200)
      const served = await load('served', sent, status)
      const wordy = await load('wordy', sent, 200)
      if (round >= 0) seen[name].push({ plain, served, ratio: served / plain, toWordy: served / wordy })
    }
  }
  // Each pair in turns, so that both have the machine as it is at that moment.
  const pairs = [
    ['behind listen ÷ express and checks by hand', 'served', 'expressByHand', 5],
    ['a gate in express ÷ express and checks by hand', 'expressGate', 'expressByHand', 1.1],
    ['with metrics ÷ without', 'measured', 'served', 0.95],
  ]
  const ratios = pairs.map(() => [])
  for (let round = -1; round < rounds; round++)
    for (const [at, [, ours, other]] of pairs.entries()) {
      const [first, second] = round % 2 === 0 ? [ours, other] : [other, ours]
      const rates = { [first]: await load(first, body, 200), [second]: await load(second, body, 200) }
      if (round >= 0) ratios[at].push(rates[ours] / rates[other])
    }
  for (const [, child] of children) child.disconnect()
  const bound = 0.85
  const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1]
  for (const [name, all] of Object.entries(seen)) {
    const [ratio, toWordy, plain, served] = ['ratio', 'toWordy', 'plain', 'served'].map((key) =>
      median(all.map((one) => one[key])),
    )
    const within = ratio >= bound
    if (!within) process.exitCode = 1
    console.log(
      `${name}: ${ratio.toFixed(3)} (≥ ${bound}, ${within ? 'within' : 'UNDER'}), ${Math.round(served)} requests a second ÷ ${Math.round(plain)}; to the one that answers as much, ${toWordy.toFixed(3)}`,
    )
  }
  for (const [at, [name, , , least]] of pairs.entries()) {
    const ratio = median(ratios[at])
    if (ratio < least) process.exitCode = 1
    console.log(`${name}: ${ratio.toFixed(3)} (≥ ${least}, ${ratio >= least ? 'within' : 'UNDER'})`)
  }
}
