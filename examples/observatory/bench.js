/**
 * npm run bench:observatory: a mixed load on the observatory's handlers, with the intake in front of them and without,
 * by turns in rounds: requests a second, and how the resident memory grows. Seconds in all: 60, or what is said. Over the
 * database of the process, which is asked the same either way; with `--stand-ins` over services in memory.
 */
import { fork } from 'node:child_process'
import { createServer } from 'node:http'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import autocannon from 'autocannon'
import { createJiti } from 'jiti'
import { listen } from 'yosei/node'

const noon = '2031-03-01T12:00:00Z'
const booking = {
  target: { name: 'Heron Cluster', rightAscension: '05:35:17.4', declination: -5.39 },
  window: { opens: '2031-03-03T22:00:00Z', closes: '2031-03-04T01:30:00Z' },
  exposures: [
    { filter: 'red', seconds: 120, count: 20 },
    { filter: 'blue', seconds: 0.5, count: 1 },
  ],
  observing: { mode: 'survey', tiles: 9 },
  price: '1250.50',
  contact: 'ada@nebula.example',
}

/** What the handlers do, with nothing looked at: what was sent is taken for right. */
function bare(services) {
  const known = new URL('http://observatory.example')
  return async (request, response) => {
    let text = ''
    for await (const chunk of request) text += chunk
    const { pathname, searchParams } = new URL(request.url, known)
    const [, first, id] = pathname.split('/')
    let value
    if (first === 'sessions') {
      const limit = Number(searchParams.get('limit') ?? 20)
      const wanted = { state: 'booked', sort: [{ by: 'opens', isBackwards: false }], offset: 0, limit: limit + 1 }
      const all = await services.sessions.list(wanted)
      value = { sessions: all.slice(0, limit) }
    } else if (request.method === 'POST') {
      await services.keys.find(request.headers.authorization.replace('Bearer ', ''))
      const { window } = JSON.parse(text)
      const night = new Date(new Date(window.opens).getTime() - 43_200_000).toISOString().slice(0, 10)
      await services.telescopes.find(id)
      await services.sessions.at(id, night)
      await services.sessions.left(request.headers['x-team'], night)
      value = { night }
    } else
      value = {
        ...(await services.telescopes.find(id)),
        nights: await services.sessions.nights(id, '0001-01-01', '9999-12-31'),
      }
    response.writeHead(request.method === 'POST' ? 201 : 200, { 'content-type': 'application/json' })
    response.end(JSON.stringify(value))
  }
}

/** A server in a process of its own, so that its memory is its own. */
async function serveHere(which, stands) {
  const load = (name) => createJiti(import.meta.url, { fsCache: false }).import(name)
  const [{ openDatabase }, { seed, servicesOver }, { default: makeService }, { default: makeServices }] = [
    await load('./server/database.ts'),
    await load('./server/services.ts'),
    await load('./service.ts'),
    await load('./services.ts'),
  ]
  const database = stands ? undefined : await openDatabase({})
  if (database) await seed(database)
  const services = database ? servicesOver(database) : makeServices()
  const now = () => new Date(noon)
  if (which === 'bare') {
    const server = createServer(bare(services)).listen(0, '127.0.0.1', () =>
      process.send({ port: server.address().port }),
    )
  } else process.send({ port: (await listen(makeService(services, { now }))).port })
  process.on('message', () => process.send({ memory: process.memoryUsage().rss }))
  process.on('disconnect', () => process.exit())
}

const requests = [
  { method: 'GET', path: '/sessions?limit=5' },
  { method: 'GET', path: '/telescopes/kr-2' },
  {
    method: 'POST',
    path: '/telescopes/kr-2/sessions?dryRun=true',
    headers: { authorization: 'Bearer nebula-key', 'x-team': 'nebula', 'content-type': 'application/json' },
    body: JSON.stringify(booking),
  },
]
const once = (child) => new Promise((came) => child.once('message', came))
async function memoryOf(child) {
  child.send('memory')
  return (await once(child)).memory
}
const memoriesOf = async (servers) => [await memoryOf(servers[0].child), await memoryOf(servers[1].child)]
async function round({ port }, seconds) {
  const url = `http://127.0.0.1:${port}`
  const { requests: came, non2xx, errors } = await autocannon({ url, requests, connections: 20, duration: seconds })
  if (non2xx + errors > 0) throw new Error(`${non2xx} answers were no success, ${errors} requests failed`)
  return came.average
}

if (process.argv[2] === 'serve') await serveHere(process.argv[3], process.argv[4] === 'stand-ins')
else {
  const seconds = Number(process.argv[2] ?? 60)
  const servers = await Promise.all(
    ['bare', 'guarded'].map(async (which) => {
      const child = fork(fileURLToPath(import.meta.url), [
        'serve',
        which,
        process.argv.includes('--stand-ins') ? 'stand-ins' : 'database',
      ])
      return { which, child, ...(await once(child)), rates: [] }
    }),
  )
  const rounds = 6
  const each = Math.max(1, Math.round(seconds / rounds / servers.length))
  let before
  for (let turn = 0; turn < rounds; turn++) {
    for (const server of turn % 2 ? servers : [...servers].reverse()) {
      server.rates.push(await round(server, each))
      await sleep(100)
    }
    // After the first ten seconds.
    if (before === undefined && (turn + 1) * each * 2 >= Math.min(10, seconds / 3)) before = await memoriesOf(servers)
  }
  const after = await memoriesOf(servers)
  const [plain, guarded] = servers.map(({ rates }) => rates.sort((a, b) => a - b)[Math.floor(rates.length / 2)])
  const grown = after.map((memory, which) => memory / before[which] - 1)
  console.log(`handlers alone                ${plain.toFixed(0)} requests a second`)
  console.log(`with the intake before them   ${guarded.toFixed(0)} requests a second`)
  console.log(`ratio                         ${(guarded / plain).toFixed(2)}  ≥ 0.85`)
  const told = (which) => `${(100 * grown[which]).toFixed(1)} % to ${(after[which] / 1e6).toFixed(0)} MB`
  console.log(`resident memory grew by       ${told(1)}  ≤ 10 %  (the handlers alone: ${told(0)})`)
  for (const { child } of servers) child.kill()
}
