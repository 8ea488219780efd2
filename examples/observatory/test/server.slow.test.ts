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
      /^observatory_rejections_total\{endpoint="bookSession",status="401",outcome="rejected"\} 1$/m,
    )
    expect(metrics).toMatch(/^observatory_turns_held 0$/m)
    const journal = readFileSync(join(folder, 'journal.ndjson'), 'utf8').trim().split('\n')
    expect(JSON.parse(journal.at(-1) ?? '')).toMatchObject({ endpoint: 'bookSession', status: 401 })
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
    // Turns of the process that was killed end with their lease; what nobody had booked by then can be booked.
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

async function untilBooked(book: () => Promise<Parameters<typeof codes>[0]>): Promise<string> {
  for (let tries = 0; ; tries++) {
    const code = codes(await book())
    if (/^(?:201|429)/.test(code) || tries > 60) return code
    await sleep(500)
  }
}
