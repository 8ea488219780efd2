/**
 * Measures the front against a bare forwarding server on undici, before the same backend: throughput, and the slowest
 * hundredth at half load, for JSON of 0.7 kB that an endpoint accepts, and for a streamed upload of 10 MB. Each server
 * has a process of its own; they take turns, and a ratio is the median of the runs'. Then the memory of the front with
 * 10,000 idle connections, and with 100 slow uploads of 100 MB. Exits with 1 if a bound is not met.
 */
import { fork } from 'node:child_process'
import { once } from 'node:events'
import { createServer, request as send } from 'node:http'
import { connect } from 'node:net'
import { setTimeout as wait } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import autocannon from 'autocannon'
import { Pool } from 'undici'
import { intake } from 'yosei'
import { front, listen } from 'yosei/node'
import { booking, cases } from './reference.js'

const start = async (server) => {
  server.listen(0, '127.0.0.1', 20_000)
  await once(server, 'listening')
  return server.address().port
}
const roles = {
  backend: () =>
    start(
      createServer((request, response) => {
        request
          .resume()
          .on('end', () => response.writeHead(200, { 'content-type': 'application/json' }).end('{"booked":true}'))
        request.on('error', () => undefined)
      }),
    ),
  bare(port) {
    const pool = new Pool(`http://127.0.0.1:${port}`, { connections: 256 })
    return start(
      createServer((request, response) => {
        const { method, url, headers } = request
        const { connection: _, ...rest } = headers
        const body = headers['content-length'] === undefined ? null : request
        pool
          .stream({ path: url, method, headers: rest, body }, ({ statusCode, headers: { connection: _, ...fields } }) =>
            response.writeHead(statusCode, fields),
          )
          .catch(() => response.destroy())
      }),
    )
  },
  async front(port) {
    const made = front(intake({ endpoints: { booking } }), { to: `http://127.0.0.1:${port}`, unmatched: 'next' })
    return (await listen(made)).port
  },
}

const [role, behind] = process.argv.slice(2)
if (role) {
  process.send(await roles[role](behind))
  process.on('disconnect', () => process.exit())
  process.on('message', () => {
    globalThis.gc?.()
    process.send(process.memoryUsage().rss / 1e6)
  })
} else {
  const runs = Number(process.env.FRONT_RUNS ?? 10)
  const seconds = Number(process.env.FRONT_SECONDS ?? 2)
  const launch = async (name, behind) => {
    const child = fork(fileURLToPath(import.meta.url), [name, behind], { execArgv: ['--expose-gc'] })
    const [port] = await once(child, 'message')
    return { child, port }
  }
  const backend = await launch('backend')
  const servers = { bare: await launch('bare', backend.port), front: await launch('front', backend.port) }
  const [, { target, body }] = cases
  const work = {
    'JSON of 0.7 kB': {
      target,
      body: JSON.stringify(body),
      headers: { 'content-type': 'application/json', 'x-team': 'nebula' },
      connections: 20,
    },
    'a streamed upload of 10 MB': {
      target: '/charts',
      body: Buffer.alloc(10_000_000, 'x'),
      headers: {},
      connections: 4,
    },
  }
  const load = async (name, { target, body, headers, connections }, rate) => {
    const { requests, latency, errors, statusCodeStats } = await autocannon({
      url: `http://127.0.0.1:${servers[name].port}${target}`,
      method: 'POST',
      headers,
      body,
      connections,
      duration: seconds,
      ...(rate ? { overallRate: rate } : {}),
    })
    const statuses = Object.keys(statusCodeStats).join()
    if (errors > 0 || statuses !== '200') throw new Error(`${name}: ${errors} errors, statuses ${statuses}`)
    return { rate: requests.total / seconds, p99: Math.max(1, latency.p99) }
  }
  const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1]
  const print = (what, value, isWithin, bound) => {
    if (!isWithin) process.exitCode = 1
    console.log(`${what}: ${value} (${bound}, ${isWithin ? 'within' : 'NOT MET'})`)
  }
  for (const [what, sent] of Object.entries(work)) {
    const seen = []
    for (let run = -1; run < runs; run++) {
      const order = run % 2 === 0 ? ['front', 'bare'] : ['bare', 'front']
      const full = {}
      for (const name of order) full[name] = await load(name, sent)
      const half = {}
      const rate = Math.max(1, Math.round(full.bare.rate / 2))
      for (const name of order) half[name] = await load(name, sent, rate)
      if (run >= 0)
        seen.push({ rate: full.front.rate / full.bare.rate, p99: half.front.p99 / half.bare.p99, own: full.front.rate })
    }
    const [rate, p99, own] = ['rate', 'p99', 'own'].map((key) => median(seen.map((one) => one[key])))
    print(`${what}, throughput`, `${rate.toFixed(3)}, ${Math.round(own)} a second`, rate >= 0.9, '≥ 0.9')
    print(`${what}, p99 at half load`, p99.toFixed(2), p99 <= 1.2, '≤ 1.2')
  }

  const memory = async () => {
    servers.front.child.send('memory')
    return (await once(servers.front.child, 'message'))[0]
  }
  const { port } = servers.front
  const idle = []
  const open = async (count) => {
    for (let more = 0; more < count; more++) {
      const socket = connect(port, '127.0.0.1')
      socket.on('error', () => undefined)
      idle.push(socket)
      if (more % 100 === 99) await wait(20)
    }
    await wait(1000)
  }
  await open(1000)
  const few = await memory()
  await open(9000)
  const many = await memory()
  const each = ((many - few) * 1000) / 9000
  print('an idle connection, of 10,000', `${each.toFixed(1)} kB`, each <= 20, '≤ 20 kB')
  for (const socket of idle) socket.destroy()
  await wait(1000)

  const before = await memory()
  const chunk = Buffer.alloc(100_000, 'x')
  let most = before
  const watching = setInterval(async () => {
    most = Math.max(most, await memory())
  }, 500)
  await Promise.all(
    Array.from({ length: 100 }, async () => {
      const upload = send({
        host: '127.0.0.1',
        port,
        path: '/charts',
        method: 'POST',
        headers: { 'content-length': 100_000_000 },
      })
      const answered = once(upload, 'response')
      for (let sent = 0; sent < 1000; sent++) {
        if (!upload.write(chunk)) await once(upload, 'drain')
        await wait(10)
      }
      upload.end()
      const [response] = await answered
      response.resume()
    }),
  )
  clearInterval(watching)
  print(
    '100 slow uploads of 100 MB',
    `${Math.round(most - before)} MB more than before`,
    most - before <= 150,
    '≤ 150 MB',
  )
  for (const { child } of [backend, ...Object.values(servers)]) child.disconnect()
  process.exit()
}
