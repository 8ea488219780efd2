/** The observatory as a server: its API, its pages, and what operators watch, on one port. */
import { createReadStream, existsSync } from 'node:fs'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { extname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { PrometheusExporter } from '@opentelemetry/exporter-prometheus'
import { MeterProvider } from '@opentelemetry/sdk-metrics'
import { createClient } from 'redis'
import { memoryTurns } from 'yosei'
import { ndjsonJournal } from 'yosei/journal'
import { listenerOf } from 'yosei/node'
import { redisTurns } from 'yosei/redis'
import { telemetry } from 'yosei/telemetry'
import { nightOf } from '../intake.ts'
import makeService from '../service.ts'
import { openDatabase } from './database.ts'
import { type Seeded, seed, servicesOver } from './services.ts'
import { Watched } from './watched.ts'

export interface StartOptions {
  /** `postgres://…`; a database in this process by default. */
  readonly databaseUrl?: string | undefined
  /** `redis://…`, for several processes; turns are in memory by default. */
  readonly redisUrl?: string | undefined
  /** Where the database of this process is kept. */
  readonly folder?: string | undefined
  /** The file of the journal. */
  readonly journal?: string | undefined
  /** Any that is free by default. */
  readonly port?: number | undefined
  /** Whether the next free port will do if this one is taken. */
  readonly orNext?: boolean
}
export interface Observatory {
  readonly url: string
  /** Takes no more connections, waits for the requests that are under way, and closes all that was opened. */
  close(): Promise<void>
}

const pages = fileURLToPath(new URL('../dist/', import.meta.url))
const types: { readonly [ending: string]: string } = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
}
const policy = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:"

export async function start(options: StartOptions = {}): Promise<Observatory> {
  const { databaseUrl, redisUrl, folder, journal, port = 0, orNext = false } = options
  const database = await openDatabase({ url: databaseUrl, folder })
  await seed(database, firstSessions())
  const services = servicesOver(database)
  const redis =
    redisUrl === undefined
      ? undefined
      : await createClient({ url: redisUrl })
          .on('error', () => undefined)
          .connect()
  const watched = new Watched()
  const metrics = new PrometheusExporter({ preventServerStart: true })
  const meter = new MeterProvider({ readers: [metrics] }).getMeter('observatory')
  const handle = makeService(services, {
    telemetry: telemetry({ meter }),
    journal: watched.journal(journal === undefined ? undefined : ndjsonJournal(journal)),
    turns: watched.turns(redis ? redisTurns(redis) : memoryTurns()),
  })
  const api = listenerOf(handle)
  let isStopping = false

  const own = async (request: IncomingMessage, response: ServerResponse): Promise<boolean> => {
    // What is no path of a page's is the API's to answer.
    if (request.method !== 'GET' || !URL.canParse(request.url ?? '', 'http://observatory.example')) return false
    const { pathname, searchParams } = new URL(request.url ?? '/', 'http://observatory.example')
    const send = (status: number, type: string, body: string) => {
      response.writeHead(status, { 'content-type': type, 'cache-control': 'no-store' }).end(body)
      return true
    }
    if (pathname === '/health') {
      const isWell =
        !isStopping &&
        (await database.rows('select 1').then(
          () => true,
          () => false,
        ))
      return send(isWell ? 200 : 503, 'application/json', JSON.stringify({ isWell }))
    }
    if (pathname === '/metrics') {
      metrics.getMetricsRequestHandler(request, response)
      return true
    }
    if (pathname === '/operator/events') {
      const caller = await services.keys.find(request.headers.authorization?.replace(/^Bearer /, '') ?? '')
      if (caller?.role !== 'operator') return send(403, 'application/json', '{}')
      return send(200, 'application/json', JSON.stringify(watched.since(Number(searchParams.get('after')) || 0)))
    }
    const name = fileOf(pathname)
    if (name === undefined || !existsSync(join(pages, name))) return false
    response.writeHead(200, {
      'content-type': types[extname(name)] ?? 'application/octet-stream',
      'content-security-policy': policy,
    })
    createReadStream(join(pages, name))
      .on('error', () => response.destroy())
      .pipe(response)
    return true
  }
  const server = createServer((request, response) => {
    own(request, response).then(
      (isDone) => isDone || api(request, response),
      () => response.writeHead(500).end(),
    )
  })
  const listen = (own: number) =>
    new Promise<void>((listening, failed) => {
      server.once('error', failed).listen(own, '127.0.0.1', () => {
        server.off('error', failed)
        listening()
      })
    })
  // Others may start at the same moment: that a port is free is known when it is taken.
  for (let own = port, tries = orNext ? 100 : 1; tries > 0; own++, tries--)
    try {
      await listen(own)
      break
    } catch (error) {
      if (tries === 1 || (error as { code?: string }).code !== 'EADDRINUSE') throw error
    }
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    async close() {
      isStopping = true
      const closed = new Promise((done) => server.close(done))
      server.closeIdleConnections()
      await closed
      await Promise.all([database.close(), redis?.close()])
    },
  }
}

/** The file of a path: the two pages, the desk as files, and what they need. */
function fileOf(pathname: string): string | undefined {
  if (pathname === '/') return 'page/index.html'
  if (pathname === '/operator') return 'page/operator.html'
  if (pathname === '/desk/') return 'desk/index.html'
  const [, desk, asset] = /^\/(desk\/)?(assets\/[\w.-]+)$/.exec(pathname) ?? []
  return asset && `${desk ?? 'page/'}${asset}`
}

/** A few nights from now on, so that there is something to see. */
function firstSessions(): readonly Seeded[] {
  const noon = Math.floor(Date.now() / 86_400_000) * 86_400_000 + 43_200_000
  const session = (
    days: number,
    telescope: string,
    team: string,
    slot: number,
    from: number,
    hours: number,
  ): Seeded => {
    const opens = new Date(noon + days * 86_400_000 + from * 3_600_000)
    const closes = new Date(opens.getTime() + hours * 3_600_000)
    const window = { opens: opens.toISOString(), closes: closes.toISOString() }
    return { telescope, team, night: nightOf(opens), slot, window }
  }
  return [
    session(3, 'kr-1', 'comet', 1, 9, 3),
    session(3, 'kr-3', 'comet', 2, 11, 5),
    session(4, 'kr-2', 'nebula', 1, 10, 4),
    session(6, 'kr-1', 'nebula', 1, 8.5, 2.5),
    session(9, 'kr-3', 'comet', 1, 13, 2),
  ]
}
