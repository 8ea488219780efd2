/** The server as it runs: over a database in its process, and over a PostgreSQL and a Redis that several processes share. */
import { type ChildProcess, spawn } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { createClient } from 'redis'
import type { TurnStore } from 'yosei'
import { client } from 'yosei/client'
import app from '../intake.ts'
import { type Database, openDatabase } from '../server/database.ts'
import { seed, servicesOver } from '../server/services.ts'
import { type Observatory, start } from '../server/start.ts'
import makeService from '../service.ts'
import { type Started, startPostgres, startRedis } from './servers.ts'

const here = dirname(fileURLToPath(import.meta.url))
const day = 86_400_000
/** Ten in the evening, so many days from now. */
const evening = (days: number) => new Date((Math.floor(Date.now() / day) + days) * day + 22 * 3_600_000)
const sessionIn = (days: number, more: object = {}) => ({
  target: { name: 'Heron Cluster', rightAscension: '00:00:00', declination: 41 },
  window: {
    opens: evening(days).toISOString(),
    closes: new Date(evening(days).getTime() + 3 * 3_600_000).toISOString(),
  },
  exposures: [{ filter: 'clear' as const, seconds: 60 }],
  observing: { mode: 'single' as const },
  price: '80',
  contact: 'bo@nebula.example',
  ...more,
})
const callsOf = (base: string, key = 'nebula-key', send?: (request: Request) => Promise<Response>) =>
  client(app, { base, headers: { authorization: `Bearer ${key}` }, ...(send ? { fetch: send } : {}) })
const booking = (telescopeId: string, days: number, team = 'nebula', more: object = {}) => ({
  path: { telescopeId },
  header: { 'x-team': team, ...more },
  body: sessionIn(days),
})
const codes = (answer: { outcome: string; status: number; errors?: readonly { address: string; code: string }[] }) =>
  [answer.status, ...(answer.errors ?? []).map(({ address, code }) => `${address} ${code}`)].join(' ')

describe('over a database in its process', () => {
  let observatory: Observatory
  const folder = mkdtempSync(join(tmpdir(), 'observatory-'))
  beforeAll(async () => {
    observatory = await start({ journal: join(folder, 'journal.ndjson') })
  })
  afterAll(async () => {
    await observatory.close()
    rmSync(folder, { recursive: true })
  })

  test('a booking is kept, found, changed under its version, cancelled, and its night is free again', async () => {
    const nebula = callsOf(observatory.url)
    const comet = callsOf(observatory.url, 'comet-key')
    const booked = await nebula.bookSession(booking('kr-2', 20))
    if (booked.outcome !== 'accepted') throw new Error(codes(booked))
    const { sessionId = '', night } = booked.value
    expect([booked.status, booked.headers.get('etag'), night]).toEqual([
      201,
      '"1"',
      evening(20).toISOString().slice(0, 10),
    ])
    expect(codes(await comet.bookSession(booking('kr-2', 20, 'comet')))).toBe('409 body.window night_booked')
    const listed = await comet.listSessions({ query: { night, telescope: ['kr-2', 'kr-3'], sort: ['-team'] } })
    expect(listed).toMatchObject({
      value: { sessions: [{ sessionId, window: sessionIn(20).window && expect.anything() }] },
    })
    const shown = await comet.showTelescope({ path: { telescopeId: 'kr-2' }, query: { from: night, until: night } })
    expect(shown).toMatchObject({ value: { aperture: 1.2, nights: [night] } })
    const change = (match: string, body: object, calls = nebula) =>
      calls.changeSession({ path: { sessionId }, header: { 'x-team': 'nebula', 'if-match': match }, body })
    const changed = await change('"1"', { note: 'Seen again' })
    expect([changed.status, changed.headers instanceof Headers && changed.headers.get('etag')]).toEqual([200, '"2"'])
    expect(codes(await change('"1"', { note: 'Too late' }))).toBe('412 header.if-match changed_meanwhile')
    // A weak tag is none of a version (RFC 9110, section 8.8.3.2).
    for (const odd of ['odd', 'W/"2"'])
      expect(codes(await change(odd, { note: 'Too late' }))).toBe('412 header.if-match changed_meanwhile')
    expect(codes(await change('*', { note: 'No' }, comet))).toBe('404 path.sessionId no_such_session')
    // To a night that another session has.
    expect(codes(await comet.bookSession(booking('kr-2', 21, 'comet')))).toBe('201')
    expect(codes(await change('*', { window: sessionIn(21).window }))).toBe('409 body.window night_booked')
    expect(codes(await nebula.cancelSession({ path: { sessionId }, header: { 'if-match': '"7"' } }))).toBe(
      '412 header.if-match changed_meanwhile',
    )
    expect(codes(await nebula.cancelSession({ path: { sessionId } }))).toBe('204')
    expect(codes(await nebula.cancelSession({ path: { sessionId } }))).toBe('404 path.sessionId no_such_session')
    expect(codes(await comet.bookSession(booking('kr-2', 20, 'comet')))).toBe('201')
  })

  test('a key of the client makes one booking, however often it is sent; the quota holds', async () => {
    const nebula = callsOf(observatory.url)
    const key = { 'idempotency-key': 'key-of-ours' }
    const all = await Promise.all(
      Array.from({ length: 5 }, () => nebula.bookSession(booking('kr-1', 30, 'nebula', key))),
    )
    const ids = new Set(all.map((one) => (one.outcome === 'accepted' ? one.value.sessionId : codes(one))))
    expect([all.map(({ status }) => status), ids.size]).toEqual([[201, 201, 201, 201, 201], 1])
    expect(codes(await nebula.bookSession(booking('kr-3', 30, 'nebula', key)))).toBe(
      '422 header.idempotency-key key_used',
    )
    expect(codes(await nebula.bookSession(booking('kr-2', 30)))).toBe('201')
    expect(codes(await nebula.bookSession(booking('kr-3', 30)))).toBe('429 header.x-team quota_spent')
    const [sessionId = ''] = ids
    await nebula.cancelSession({ path: { sessionId: String(sessionId) } })
    expect(codes(await nebula.bookSession(booking('kr-3', 30)))).toBe('201')
    expect(await nebula.bookSession({ ...booking('kr-2', 31), query: { dryRun: true } })).toMatchObject({
      status: 201,
      value: { night: evening(31).toISOString().slice(0, 10) },
    })
    const { value } = (await nebula.showTelescope({ path: { telescopeId: 'kr-2' } })) as { value: { nights: string[] } }
    expect(value.nights).not.toContain(evening(31).toISOString().slice(0, 10))
  })

  test('pages of a list go on where they ended, and charts, observers, reports and weather are kept', async () => {
    const dome = callsOf(observatory.url, 'dome-key')
    const seen: string[] = []
    let cursor: string | undefined
    do {
      const page = await dome.listSessions({ query: { limit: 2, ...(cursor ? { cursor } : {}) } })
      if (page.outcome !== 'accepted') throw new Error(codes(page))
      seen.push(...page.value.sessions.map(({ sessionId }) => sessionId))
      cursor = page.value.cursor
    } while (cursor)
    expect([new Set(seen).size, seen.length > 6]).toEqual([seen.length, true])
    const chart = new File([new Uint8Array([0x89, 0x50, 0xff])], 'chart.png', { type: 'image/png' })
    const sheet = { title: 'Field', fieldOfView: 2 }
    const send = (sessionId: string) => dome.sendChart({ path: { sessionId }, body: { chart, sheet } as never })
    expect([codes(await send(seen[0] ?? '')), codes(await send('s-999999'))]).toEqual([
      '204',
      '404 path.sessionId no_such_session',
    ])
    const observer = { name: 'Ada Quill', born: '1990-01-01', contact: 'ada@dome.example', country: 'NL' }
    expect(await dome.addObserver({ body: observer })).toMatchObject({ status: 201, value: { observerId: 'o-1' } })
    const weather = { station: 'dome', at: new Date().toISOString(), wind: 3, humidity: 40 }
    expect(codes(await dome.sendWeather({ body: [weather] }))).toBe('202')
    expect(codes(await callsOf(observatory.url).sendWeather({ body: [weather] }))).toBe(
      '403 header.authorization not_allowed',
    )
  })

  test('operators see what callers get wrong, others do not; health, metrics and the journal are there', async () => {
    const ask = (path: string, key = '') =>
      fetch(observatory.url + path, { headers: key ? { authorization: `Bearer ${key}` } : {} })
    await callsOf(observatory.url, 'none').bookSession(booking('kr-2', 40))
    expect((await ask('/operator/events', 'nebula-key')).status).toBe(403)
    const { next, events, turns } = await (await ask('/operator/events?after=0', 'dome-key')).json()
    expect(events.at(-1)).toMatchObject({
      endpoint: 'bookSession',
      status: 401,
      errors: [{ address: 'header.authorization' }],
    })
    expect([turns, (await (await ask(`/operator/events?after=${next}`, 'dome-key')).json()).events]).toEqual([[], []])
    expect(await (await ask('/health')).json()).toEqual({ isWell: true })
    const metrics = await (await ask('/metrics')).text()
    expect(metrics).toMatch(
      /^yosei_rejections_total\{yosei_outcome="rejected",yosei_stage="identify",http_response_status_code="401",yosei_endpoint="bookSession".*\} 1$/m,
    )
    expect(metrics).toMatch(/^http_server_request_duration_count\{.*http_route="\/sessions".*\} \d+$/m)
    const journal = readFileSync(join(folder, 'journal.ndjson'), 'utf8').trim().split('\n')
    expect(JSON.parse(journal.at(-1) ?? '')).toMatchObject({ endpoint: 'bookSession', status: 401 })
  })
})

/** A request with a key, or without one; its status. */
async function statusOf(
  base: string,
  key: string | undefined,
  method: string,
  path: string,
  body?: unknown,
  type = 'application/json',
) {
  const headers = {
    'x-team': 'nebula',
    ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
    ...(body === undefined || body instanceof FormData ? {} : { 'content-type': type }),
  }
  const sent =
    body === undefined
      ? {}
      : { body: body instanceof FormData || typeof body === 'string' ? body : JSON.stringify(body) }
  const response = await fetch(base + path, { method, headers, ...sent })
  await response.arrayBuffer()
  return response.status
}
function chart(title: string): FormData {
  const form = new FormData()
  form.append('chart', new Blob(['x'], { type: 'image/png' }), 'chart.png')
  form.append('sheet', new Blob([JSON.stringify({ title, fieldOfView: 1 })], { type: 'application/json' }))
  return form
}
const reported = (note?: string) => ({
  opened: '2031-01-01T20:00:00Z',
  closed: '2031-01-01T21:00:00Z',
  openSeconds: 60,
  clouds: 'clear',
  sessions: [],
  ...(note ? { note } : {}),
})
const observer = (name: string) => ({ name, born: '1990-01-01', contact: 'bo@nebula.example', country: 'CL' })
const patch = 'application/merge-patch+json'

describe('who may do what, and what no database takes', () => {
  let observatory: Observatory
  let mine = ''
  const base = () => observatory.url
  beforeAll(async () => {
    observatory = await start({})
    const booked = await callsOf(base()).bookSession(booking('kr-1', 60))
    if (booked.outcome !== 'accepted') throw new Error(codes(booked))
    mine = `/sessions/${booked.value.sessionId}`
  })
  afterAll(() => observatory.close())

  const roles = [undefined, 'no-key', 'comet-key', 'nebula-key', 'dome-key'] as const
  const weather = () => JSON.stringify({ station: 'north', at: new Date().toISOString(), wind: 1, humidity: 5 })
  const yesterday = new Date(Date.now() - day).toISOString().slice(0, 10)
  /** The statuses without a key, with an unknown key, for another team, the team whose session it is, and an operator. */
  const rows: {
    readonly [N in keyof typeof app.endpoints]: readonly [
      method: string,
      path: () => string,
      statuses: readonly number[],
      body?: () => unknown,
      type?: string,
    ]
  } = {
    listTelescopes: ['GET', () => '/telescopes', [200, 200, 200, 200, 200]],
    showTelescope: ['GET', () => '/telescopes/kr-1', [200, 200, 200, 200, 200]],
    listSessions: ['GET', () => '/sessions', [200, 200, 200, 200, 200]],
    bookSession: [
      'POST',
      () => '/telescopes/kr-1/sessions?dryRun=true',
      [401, 401, 422, 201, 201],
      () => sessionIn(70),
    ],
    changeSession: ['PATCH', () => mine, [401, 401, 404, 200, 200], () => ({ note: 'x' }), patch],
    sendChart: ['PUT', () => `${mine}/chart`, [401, 401, 404, 204, 204], () => chart('x')],
    addObserver: ['POST', () => '/observers', [401, 401, 403, 403, 201], () => observer('Bo')],
    reportNight: [
      'PUT',
      () => `/telescopes/kr-1/nights/${yesterday}/report`,
      [401, 401, 403, 403, 204],
      () => reported(),
    ],
    sendWeather: ['POST', () => '/weather', [401, 401, 403, 403, 202], weather, 'application/x-ndjson'],
    cancelSession: ['DELETE', () => mine, [401, 401, 404, 204, 404]],
  }
  test('each endpoint, by each role', async () => {
    for (const [name, [method, path, statuses, body, type]] of Object.entries(rows)) {
      const came: number[] = []
      for (const key of roles) came.push(await statusOf(base(), key, method, path(), body?.(), type))
      expect([name, came]).toEqual([name, statuses])
    }
  })

  const broken = ['a\0b', 'a\ud800', '\udc00a']
  test.each<[string, string, (text: string) => readonly [path: string, body: unknown, type?: string]]>([
    ['a booking', 'POST', (note) => ['/telescopes/kr-2/sessions', { ...sessionIn(80), note }]],
    [
      'a target',
      'POST',
      (name) => [
        '/telescopes/kr-2/sessions',
        sessionIn(80, { target: { name, rightAscension: '00:00:00', declination: 41 } }),
      ],
    ],
    ['a tag', 'POST', (tag) => ['/telescopes/kr-2/sessions', sessionIn(80, { tags: { a: tag } })]],
    ['an observer', 'POST', (name) => ['/observers', observer(name)]],
    ['a report', 'PUT', (note) => [`/telescopes/kr-1/nights/${yesterday}/report`, reported(note)]],
    ['a chart', 'PUT', (title) => ['/sessions/s-000001/chart', chart(title)]],
  ])('characters that a database does not keep are rejected: in %s', async (_, method, made) => {
    for (const text of broken) {
      const [path, body, type] = made(text)
      expect(await statusOf(base(), 'dome-key', method, path, body, type)).toBe(422)
    }
  })
  test.each([
    '/sessions?cursor=LTEwMA',
    '/sessions?cursor=MWUxMDA',
    '/sessions?cursor=____',
    '/sessions?from=0000-01-01T00:00:00Z',
    '/sessions?until=0000-01-01T00:00:00Z',
    '/telescopes/kr-1?from=0000-01-01',
    '/telescopes/kr-1?until=0000-01-01',
  ])('%s is rejected', async (path) => {
    expect(await statusOf(base(), undefined, 'GET', path)).toBe(400)
  })
})

describe('two at the same moment', () => {
  let database: Database
  beforeAll(async () => {
    database = await openDatabase({})
    await seed(database)
  })
  afterAll(() => database.close())
  /** Lets everybody in at once. */
  const noTurns: TurnStore = {
    take: async () => ({ fence: 1n, renew: async () => true, release: async () => undefined }),
  }
  const many = async (
    turns: TurnStore | undefined,
    telescopes: readonly string[],
    days: number,
    key = 'nebula-key',
  ) => {
    const handle = makeService(servicesOver(database), turns ? { turns } : {})
    const calls = callsOf('http://kr.example', key, handle)
    const team = key.replace('-key', '')
    const sent = Array.from({ length: 30 }, (_, index) =>
      calls.bookSession(booking(telescopes[index % telescopes.length] as string, days, team)),
    )
    const came = (await Promise.all(sent)).map(codes)
    return came.filter((code) => code === '201').length
  }

  test('a night and a quota are held by the constraints alone', async () => {
    expect(await many(noTurns, ['kr-1'], 20)).toBe(1)
    expect(await many(noTurns, ['kr-1', 'kr-2', 'kr-3'], 22)).toBe(2)
  })
  test('a night and a quota are held by the turn alone', async () => {
    await database.rows('drop index one_session_a_night; drop index quota')
    expect(await many(noTurns, ['kr-1'], 40)).toBeGreaterThan(1)
    expect(await many(undefined, ['kr-1'], 42)).toBe(1)
    expect(await many(undefined, ['kr-1', 'kr-2', 'kr-3'], 44)).toBe(2)
  })
})

describe('three processes over one PostgreSQL and one Redis', () => {
  let postgres: Started | undefined
  let redis: Started | undefined
  const processes: ChildProcess[] = []
  beforeAll(async () => {
    ;[postgres, redis] = await Promise.all([startPostgres(), startRedis()])
  })
  afterAll(async () => {
    for (const one of processes) one.kill('SIGKILL')
    await Promise.all([postgres?.stop(), redis?.stop()])
  })
  const startProcess = () =>
    new Promise<{ url: string; child: ChildProcess }>((resolve, reject) => {
      const env = { ...process.env, DATABASE_URL: postgres?.url, REDIS_URL: redis?.url }
      const child = spawn(process.execPath, [join(here, '../start.js')], { env })
      processes.push(child)
      let printed = ''
      const on = (chunk: Buffer) => {
        printed += chunk
        const url = /The observatory: (\S+)/.exec(printed)?.[1]
        if (url) resolve({ url, child })
      }
      child.stdout.on('data', on)
      child.stderr.on('data', on)
      child.on('exit', () => reject(new Error(printed)))
    })

  test('300 bookings of three places at once, a process killed in the middle: three are booked, and nothing is left behind', async () => {
    if (!postgres || !redis) {
      console.warn(
        'NOT TESTED: several processes, since PostgreSQL or Redis is not installed (apt-get install postgresql redis-server)',
      )
      return
    }
    // They begin at the same moment, each with the tables to make.
    const all = await Promise.all([startProcess(), startProcess(), startProcess()])
    const telescopes = ['kr-1', 'kr-2', 'kr-3']
    const keys = ['nebula-key', 'comet-key', 'dome-key']
    let answered = 0
    const came = await Promise.all(
      Array.from({ length: 300 }, async (_, index) => {
        const { url } = all[index % 3] as (typeof all)[number]
        const key = keys[Math.floor(index / 9) % 3] as string
        const place = telescopes[Math.floor(index / 3) % 3] as string
        const sent = { ...booking(place, 20, key.replace('-key', '')), body: sessionIn(20) }
        const answer = await callsOf(url, key)
          .bookSession(sent)
          .then(codes, () => 'broken off')
        if (++answered === 60) all[2]?.child.kill('SIGKILL')
        return answer
      }),
    )
    const booked = came.filter((code) => code === '201').length
    const broken = came.filter((code) => code === 'broken off').length
    expect([booked <= 3, broken > 0, came.filter((code) => /^5/.test(code) && !/^503/.test(code))]).toEqual([
      true,
      true,
      [],
    ])
    // Turns of the process that was killed end with their lease; what was not booked by then can be booked.
    const left = await openDatabase({ url: postgres.url })
    const night = evening(20).toISOString().slice(0, 10)
    const rows = () =>
      left.rows<{ telescope: string; slot: number; booked: object }>(
        'select telescope, slot, booked from sessions where night = $1 order by telescope',
        [night],
      )
    const have = (await rows()).map(({ telescope }) => telescope)
    for (const place of telescopes.filter((one) => !have.includes(one))) {
      // One of three teams has a session left: there are two for each.
      const came: string[] = []
      for (const key of keys)
        if (!came.includes('201')) {
          const calls = callsOf(all[0].url, key)
          came.push(await untilBooked(() => calls.bookSession(booking(place, 20, key.replace('-key', '')))))
        }
      expect(came).toContain('201')
    }
    const after = await rows()
    expect(after.map(({ telescope }) => telescope)).toEqual(telescopes)
    for (const { booked: kept } of after) expect(kept).toMatchObject({ price: '80', target: { name: 'Heron Cluster' } })
    const keysLeft = createClient({ url: redis.url })
    await keysLeft.connect()
    const held = async () => {
      const keys = await keysLeft.keys('turns*')
      const types = await Promise.all(keys.map((key) => keysLeft.type(key)))
      return keys.filter((key, index) => types[index] === 'string' && !key.includes('fence'))
    }
    for (let tries = 0; tries < 20 && (await held()).length > 0; tries++) await sleep(500)
    expect(await held()).toEqual([])
    await keysLeft.close()
    await left.close()
    // The others end when they are asked to, and answer what is under way.
    const ends = all.slice(0, 2).map(({ child }) => new Promise((resolve) => child.once('exit', resolve)))
    for (const { child } of all.slice(0, 2)) child.kill('SIGTERM')
    expect(await Promise.all(ends)).toEqual([0, 0])
  })
})

describe('two writes at the same moment, over a PostgreSQL', () => {
  let postgres: Started | undefined
  let database: Database | undefined
  beforeAll(async () => {
    postgres = await startPostgres()
    if (!postgres) return
    database = await openDatabase({ url: postgres.url })
    await seed(database)
  })
  afterAll(async () => {
    await database?.close()
    await postgres?.stop()
  })
  const noTurns: TurnStore = {
    take: async () => ({ fence: 1n, renew: async () => true, release: async () => undefined }),
  }

  test('each endpoint that writes', async () => {
    if (!database) return console.warn('NOT TESTED: writes at the same moment, since PostgreSQL is not installed')
    const handle = makeService(servicesOver(database), { turns: noTurns })
    const [nebula, dome] = ['nebula-key', 'dome-key'].map((key) => callsOf('http://kr.example', key, handle)) as [
      ReturnType<typeof callsOf>,
      ReturnType<typeof callsOf>,
    ]
    const both = async (call: () => Promise<{ status: number }>) =>
      (await Promise.all([call(), call()])).map(({ status }) => status).sort()
    const book = async (telescopeId: string, days: number) => {
      const booked = await nebula.bookSession(booking(telescopeId, days))
      if (booked.outcome !== 'accepted') throw new Error(codes(booked))
      return String(booked.value.sessionId)
    }
    expect(await both(() => nebula.bookSession(booking('kr-1', 10)))).toEqual([201, 409])
    // Two sessions come to a night with room for both.
    for (let round = 0; round < 30; round++) {
      const ids = [await book('kr-1', 20 + round), await book('kr-2', 60 + round)]
      const moved = await Promise.all(
        ids.map((sessionId) =>
          nebula.changeSession({
            path: { sessionId },
            header: { 'x-team': 'nebula' },
            body: { window: sessionIn(100 + round).window },
          }),
        ),
      )
      expect([round, moved.map(codes)]).toEqual([round, ['200', '200']])
    }
    const sessionId = await book('kr-3', 11)
    const change = { path: { sessionId }, header: { 'x-team': 'nebula', 'if-match': '"1"' }, body: { note: 'x' } }
    expect(await both(() => nebula.changeSession(change))).toEqual([200, 412])
    const chart = () => ({
      path: { sessionId },
      body: { chart: new File(['x'], 'a.png', { type: 'image/png' }), sheet: { title: 'x', fieldOfView: 1 } },
    })
    expect(await both(() => nebula.sendChart(chart() as never))).toEqual([204, 204])
    expect(await both(() => nebula.cancelSession({ path: { sessionId } }))).toEqual([204, expect.any(Number)])
    expect(await both(() => dome.addObserver({ body: observer('Bo') } as never))).toEqual([201, 201])
    const night = new Date(Date.now() - day).toISOString().slice(0, 10)
    expect(
      await both(() => dome.reportNight({ path: { telescopeId: 'kr-1', night }, body: reported() } as never)),
    ).toEqual([204, 204])
    expect(
      await both(() =>
        dome.sendWeather({ body: [{ station: 'north', at: new Date(), wind: 1, humidity: 5 }] } as never),
      ),
    ).toEqual([202, 202])
    return undefined
  })
})

async function untilBooked(book: () => Promise<Parameters<typeof codes>[0]>): Promise<string> {
  for (let tries = 0; ; tries++) {
    const code = codes(await book())
    if (/^(?:201|429)/.test(code) || tries > 60) return code
    await sleep(500)
  }
}
