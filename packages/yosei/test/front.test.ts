/** The front: what reaches a server behind it, byte for byte, and what never does. */
import { createServer, type IncomingMessage } from 'node:http'
import { type AddressInfo, connect } from 'node:net'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import {
  type Endpoints,
  endpoint,
  file,
  flag,
  type Intake,
  intake,
  integer,
  type JournalEvent,
  list,
  record,
  text,
} from 'yosei'
import { type FrontOptions, front, type Listening, listen } from 'yosei/node'

interface Reached {
  readonly line: string
  readonly body: string
  readonly fields: IncomingMessage['headersDistinct']
  readonly trailers: readonly string[]
}
const reached: Reached[] = []
const backend = createServer((request, response) => {
  const chunks: Uint8Array[] = []
  request.on('error', () => undefined)
  request.on('data', (chunk) => chunks.push(chunk))
  request.on('end', () => {
    const { method, url, headersDistinct, rawTrailers } = request
    const body = Buffer.concat(chunks).toString('latin1')
    reached.push({ line: `${method} ${url}`, body, fields: headersDistinct, trailers: rawTrailers })
    if (url === '/cached') {
      response.writeHead(304, { etag: '"a"', 'content-length': '5' }).end()
      return
    }
    response.writeEarlyHints({ link: '</night.css>; rel=preload' })
    const sum = method === 'HEAD' ? [] : ['Trailer', 'X-Sum']
    response.writeHead(200, [...sum, 'Set-Cookie', 'a=1', 'Set-Cookie', 'b=2', 'Connection', 'X-Own', 'X-Own', 'hop'])
    if (method !== 'HEAD') response.write('seen')
    if (method !== 'HEAD') response.addTrailers({ 'X-Sum': '4' })
    response.end()
  })
})
backend.on('upgrade', (_, socket) => {
  socket.write('HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: echo\r\n\r\n')
  socket.on('error', () => undefined).pipe(socket)
})
let to = ''
beforeAll(async () => {
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve))
  to = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`
})
afterAll(() => {
  backend.closeAllConnections()
  backend.close()
})

const bookNight = endpoint('POST /nights/{night}', {
  path: { night: integer() },
  query: { dry: flag({ optional: true }), tags: list(text(), { optional: true }) },
  header: { 'x-team': text({ optional: true }) },
  cookie: { key: text({ optional: true }) },
  body: record({ team: text({ length: [1, 8] }), id: text({ readOnly: 'drop' }) }),
})
const endpoints = {
  bookNight,
  showNight: endpoint('GET /nights/{night}', { path: { night: integer() } }),
  sendChart: endpoint('PUT /charts', {
    body: { 'multipart/form-data': record({ note: text(), chart: file({ bytes: '4MB' }) }) },
  }),
}
const events: JournalEvent[] = []
const app = intake({ endpoints, journal: { write: (event) => void events.push(event) } })

const servers: Listening[] = []
afterAll(() => Promise.all(servers.map(({ close }) => close())))
async function before(of: Intake, options: Omit<FrontOptions, 'to'> = {}): Promise<number> {
  const listening = await listen(front(of as Intake<Endpoints, unknown>, { to, ...options }))
  servers.push(listening)
  return listening.port
}

/** What comes back for bytes: so many answers, and what follows them at once. */
function raw(port: number, message: string, answers = 1): Promise<string> {
  return new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1')
    let came = ''
    const end = () => socket.destroy()
    let timer = setTimeout(end, 20_000)
    socket.on('data', (chunk) => {
      came += chunk.toString('latin1')
      if (statuses(came).length < answers) return
      clearTimeout(timer)
      timer = setTimeout(end, 40)
    })
    socket.on('error', () => undefined)
    socket.on('close', () => {
      clearTimeout(timer)
      resolve(came)
    })
    socket.write(Buffer.from(message, 'latin1'))
  })
}
const statuses = (came: string) =>
  [...came.matchAll(/HTTP\/1\.1 (\d+)/g)].map(([, status]) => Number(status)).filter((one) => one !== 103)
const head = (line: string, ...fields: string[]) => [`${line} HTTP/1.1`, 'Host: a', ...fields, '', ''].join('\r\n')
const body = '{"team":"a"}'
const json = 'Content-Type: application/json'
const length = 'Content-Length: 12'
const chunked = 'Transfer-Encoding: chunked'
const booking = (...fields: string[]) => head('POST /nights/1', json, ...fields)
const other = (...fields: string[]) => head('POST /other', ...fields)
const night = `POST /nights/1 ${body}`

describe('what reaches the backend', () => {
  // Message, statuses of the answers, and what the backend got.
  test.each<[string, string, number[], string[]]>([
    ['a length', booking(length) + body, [200], [night]],
    ['chunks', `${booking(chunked)}5\r\n{"tea\r\n7;ext=1\r\nm":"a"}\r\n0\r\n\r\n`, [200], [night]],
    [
      'bytes of any kind, where no endpoint matches',
      `${other('Content-Length: 2', 'X-A: \xe9')}\xff\xfe`,
      [200],
      ['POST /other \xff\xfe'],
    ],
    [
      'spelling of JSON',
      `${booking('Content-Length: 20')}{ "team" :\t"\\u0061"}`,
      [200],
      ['POST /nights/1 { "team" :\t"\\u0061"}'],
    ],
    [
      'spelling of the target',
      `${head('POST /nights/1?tags=%61&tags=b+c', json, length)}${body}`,
      [200],
      [`POST /nights/1?tags=%61&tags=b+c ${body}`],
    ],
    ['a target in absolute form', head('GET http://b:1/nights/1'), [200], ['GET /nights/1 ']],
    ['two in a row', head('GET /nights/1') + head('GET /nights/2'), [200, 200], ['GET /nights/1 ', 'GET /nights/2 ']],
    ['an answer without a body, which has a length', head('GET /cached'), [304], ['GET /cached ']],
    ['HEAD', head('HEAD /nights/1'), [200], ['HEAD /nights/1 ']],
    ['a preflight', head('OPTIONS /nights/1', 'Origin: http://b'), [200], ['OPTIONS /nights/1 ']],
    [
      'who asks whether it may send, and is judged',
      booking(length, 'Expect: 100-continue') + body,
      [100, 200],
      [night],
    ],
    [
      'who asks whether it may send, elsewhere',
      other(length, 'Expect: 100-continue') + body,
      [100, 200],
      [`POST /other ${body}`],
    ],
    [
      'another protocol that is not granted',
      head('GET /nights/1', 'Connection: Upgrade', 'Upgrade: h2c'),
      [200],
      ['GET /nights/1 '],
    ],
    [
      'nor with a body',
      `${head('POST /nights/1', json, length, 'Connection: Upgrade', 'Upgrade: h2c')}${body}`,
      [200],
      [night],
    ],
    ['nor is what may have gone by it', head('GET /nights/1', 'Connection: upgrade, host', 'Upgrade: h2c'), [400], []],
    ['a message of HTTP/1.0', 'GET /nights/1 HTTP/1.0\r\n\r\n', [200], ['GET /nights/1 ']],
    // What is wrong.
    ['a wrong body', `${booking('Content-Length: 10')}{"team":1}`, [422], []],
    ['a name twice in JSON', `${booking('Content-Length: 23')}{"team":"a","team":"b"}`, [400], []],
    ['a cookie twice', booking(length, 'Cookie: key=1; key=2') + body, [400], []],
    ['other cookies twice', booking(length, 'Cookie: other=1; key=1; other=2') + body, [200], [night]],
    ['a header field twice', booking(length, 'X-Team: 1', 'X-Team: 2') + body, [400], []],
    ['a query value twice', head('POST /nights/1?dry=1&dry=0', json, length) + body, [400], []],
    ['what only the server sets', `${booking('Content-Length: 20')}{"team":"a","id":""}`, [422], []],
    ['no such path for an endpoint', head('PUT /nights/1', 'Content-Length: 0'), [200], ['PUT /nights/1 ']],
    // What two servers could read in different ways.
    ['two lengths', booking(length, 'Content-Length: 3') + body, [400], []],
    ['the same length twice', booking(length, length) + body, [400], []],
    ['a list of lengths', booking('Content-Length: 12, 12') + body, [400], []],
    ['a signed length', booking('Content-Length: +12') + body, [400], []],
    ['a length beside chunks', `${other(length, chunked)}c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunks twice', `${other(chunked, chunked)}c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['another transfer coding', `${other('Transfer-Encoding: gzip, chunked')}c\r\n${body}\r\n0\r\n\r\n`, [501], []],
    [
      'a coding that only looks like chunks',
      `${other('Transfer-Encoding: xchunked')}c\r\n${body}\r\n0\r\n\r\n`,
      [400],
      [],
    ],
    ['a space before a colon', `${other('Transfer-Encoding : chunked')}c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunks in HTTP/1.0', `POST /other HTTP/1.0\r\n${chunked}\r\n\r\nc\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunk sizes: 0x', `${booking(chunked)}0xc\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunk sizes: a sign', `${booking(chunked)}+c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunk sizes: a blank', `${booking(chunked)}c \r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunk sizes: too many bits', `${booking(chunked)}1000000000000000c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['a line feed alone after a chunk size', `${booking(chunked)}c;a\n${body}\r\n0\r\n\r\n`, [400], []],
    ['chunk sizes that stream on', `${other(chunked)}c\r\n${body}\r\n0xc\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['a folded field', `${other('X-A: b\r\n c', length)}${body}`, [400], []],
    ['a folded coding', `${other('Transfer-Encoding:\r\n chunked')}c\r\n${body}\r\n0\r\n\r\n`, [400], []],
    ['a carriage return alone', `${other('X-A: b\rX-B: c', length)}${body}`, [400], []],
    ['a line feed alone', `${other('X-A: b\nX-B: c', length)}${body}`, [400], []],
    ['NUL in a field', `${other('X-A: b\0c', length)}${body}`, [400], []],
    ['two hosts', head('GET /other', 'Host: b'), [400], []],
    ['no host', 'GET /other HTTP/1.1\r\n\r\n', [400], []],
    ['two media types', booking('Content-Type: text/plain', length) + body, [400], []],
    ['a judged field that would be removed', booking('Connection: x-team', 'X-Team: b', length) + body, [400], []],
    ['a length that would be removed', booking('Connection: content-length', length) + body, [400], []],
    ['a fragment', head('GET /nights/1#x'), [400], []],
    ['a backslash', head('GET /other\\..\\nights/1'), [400], []],
    ['dots that lead to an endpoint', head('GET /x/%2e%2e/nights/1'), [400], []],
    ['an encoded slash', head('GET /nights%2F1'), [400], []],
    ['TRACE', head('TRACE /other'), [501], []],
    ['a tunnel', head('CONNECT b:80'), [501], []],
    ['an odd expectation', other('Expect: 200-ok', length) + body, [417], []],
    ['the server itself', head('OPTIONS *'), [204], []],
    ['no forwards left', head('OPTIONS /other', 'Max-Forwards: 0'), [204], []],
  ])('%s', async (_, message, answered, got) => {
    const port = await before(app, { unmatched: 'next' })
    reached.length = 0
    events.length = 0
    expect(statuses(await raw(port, message, answered.length))).toEqual(answered)
    expect(events.filter(({ outcome }) => outcome === 'failed')).toEqual([])
    expect(reached.map(({ line, body }) => `${line} ${body}`)).toEqual(got)
  })

  test('what is only observed, in all its parts or in some, and never what is ambiguous', async () => {
    const wrong = `${head('POST /nights/1?dry=2', json, 'Content-Length: 10')}{"team":1}`
    const large = `${booking('Content-Length: 2000000')}${JSON.stringify({ team: 'a'.repeat(1_999_989) })}`
    const outcomes = async (port: number, message: string) => {
      reached.length = 0
      events.length = 0
      const answered = statuses(await raw(port, message))
      return {
        answered,
        bytes: reached[0]?.body.length,
        logged: events.map(({ outcome, status }) => `${outcome} ${status}`),
      }
    }
    const all = await before(app, { observe: true })
    expect(await outcomes(all, wrong)).toEqual({ answered: [200], bytes: 10, logged: ['observed 400'] })
    expect(await outcomes(all, large)).toEqual({ answered: [200], bytes: 2_000_000, logged: ['observed 413'] })
    expect(await outcomes(all, `${booking(chunked)}0xc\r\n${body}\r\n0\r\n\r\n`)).toMatchObject({
      answered: [400],
      bytes: undefined,
    })
    const some = await before(app, { observe: ['body'] })
    expect(await outcomes(some, wrong)).toEqual({ answered: [400], bytes: undefined, logged: ['rejected 400'] })
    expect(await outcomes(some, wrong.replace('dry=2', 'dry=1'))).toEqual({
      answered: [200],
      bytes: 10,
      logged: ['observed 422'],
    })
    const known = intake({ endpoints: { bookNight }, identify: ({ headers }) => headers.get('authorization') })
    expect(await outcomes(await before(known, { observe: ['body'] }), large)).toMatchObject({ answered: [413] })
    expect(await outcomes(some, large)).toEqual({ answered: [200], bytes: 2_000_000, logged: ['observed 413'] })
  })

  test('bodies in codings and in parts go on as they came', async () => {
    const port = await before(app)
    const zipped = gzipSync(body).toString('latin1')
    const chart = `--b\r\nContent-Disposition: form-data; name="note"\r\n\r\nx\r\n--b\r\nContent-Disposition: form-data; name="chart"; filename="c"\r\n\r\n${'0123456789'.repeat(300_000)}\r\n--b--\r\n and an epilogue`
    const type = 'Content-Type: multipart/form-data; boundary=b'
    reached.length = 0
    await raw(port, booking('Content-Encoding: gzip', `Content-Length: ${zipped.length}`) + zipped)
    await raw(port, head('PUT /charts', type, `Content-Length: ${chart.length}`) + chart)
    await raw(port, head('PUT /charts', type, 'Content-Length: 12') + chart.slice(0, 12))
    expect(reached.map((one) => one.body === zipped || one.body === chart)).toEqual([true, true])
  })

  test('fields of one connection stay there; the front tells of itself and of the client', async () => {
    const port = await before(app, { unmatched: 'next', xForwarded: true })
    reached.length = 0
    const hops = [
      'Connection: x-hop, close',
      'X-Hop: 1',
      'Keep-Alive: 5',
      'TE: trailers',
      'Via: 1.0 far',
      'Forwarded: for=b',
      'X-Forwarded-For: b',
    ]
    const came = await raw(port, head('GET /nights/1', ...hops, 'X-Twice: 1', 'X-Twice: 2'))
    const { fields } = reached[0] as Reached
    expect(Object.keys(fields).sort()).toEqual([
      'connection',
      'forwarded',
      'host',
      'via',
      'x-forwarded-for',
      'x-forwarded-host',
      'x-forwarded-proto',
      'x-twice',
    ])
    expect(fields).toMatchObject({
      host: ['a'],
      'x-twice': ['1', '2'],
      forwarded: ['for=b, for=127.0.0.1;host=a;proto=http'],
      'x-forwarded-for': ['b, 127.0.0.1'],
    })
    expect(fields['via']?.[0]).toMatch(/^1\.0 far, 1\.1 yosei-[0-9a-f]{12}$/)
    expect(came).toContain('HTTP/1.1 103')
    expect(came).toMatch(/set-cookie: a=1\r\nset-cookie: b=2\r\n/i)
    expect(came).not.toMatch(/x-own/i)
    expect(came).toMatch(/\r\n0\r\nX-Sum: 4\r\n\r\n$/)
    reached.length = 0
    const trailing = `${other(chunked, 'Trailer: X-Sum')}c\r\n${body}\r\n0\r\nX-Sum: 9\r\n\r\n`
    await raw(await before(app, { unmatched: 'next', hostField: 'backend' }), trailing)
    expect(reached).toMatchObject([{ body, trailers: ['X-Sum', '9'], fields: { host: [to.slice(7)] } }])
  })

  test('another protocol, where no endpoint matches and the rest goes on', async () => {
    const asking = head('GET /live', 'Connection: Upgrade', 'Upgrade: echo')
    expect(await raw(await before(app, { unmatched: 'next' }), `${asking}hello`)).toMatch(
      /^HTTP\/1\.1 101 [\s\S]*\r\n\r\nhello$/,
    )
    expect(statuses(await raw(await before(app), asking))).toEqual([404])
  })
})

test('a front that is its own backend, and one without a backend', async () => {
  const free = createServer()
  await new Promise<void>((resolve) => free.listen(0, '127.0.0.1', resolve))
  const { port } = free.address() as AddressInfo
  await new Promise((resolve) => free.close(resolve))
  const own = front(app, { to: `http://127.0.0.1:${port}` })
  expect(await own.ready()).toBe(false)
  events.length = 0
  const answer = await raw(await before(app, { to: `http://127.0.0.1:${port}` } as object), head('GET /nights/1'))
  expect(statuses(answer)).toEqual([502])
  const [event] = events
  expect(event).toMatchObject({ endpoint: 'showNight', outcome: 'failed', status: 502, stage: 'handle' })
  expect(answer).toContain(`urn:uuid:${event?.id}`)
  servers.push(await listen(own, { port }))
  expect(await own.ready()).toBe(true)
  expect(statuses(await raw(port, head('GET /nights/1')))).toEqual([502])
})

test('clients that reset a connection which is not HTTP any more end nothing', async () => {
  const failing = createServer()
  failing.on('upgrade', (_, socket) => void setTimeout(() => socket.destroy(), 100))
  await new Promise<void>((resolve) => failing.listen(0, '127.0.0.1', resolve))
  const far = `http://127.0.0.1:${(failing.address() as AddressInfo).port}`
  const port = await before(app, { unmatched: 'next', to: far } as object)
  const reset = (message: string) =>
    new Promise<void>((resolve) => {
      const socket = connect(port, '127.0.0.1', () => socket.write(message))
      socket.on('error', () => undefined).on('close', () => setTimeout(resolve, 200))
      setTimeout(() => {
        socket.write('x'.repeat(100_000))
        socket.resetAndDestroy()
      }, 30)
    })
  const asking = head('GET /live', 'Connection: Upgrade', 'Upgrade: echo')
  await Promise.all([reset(asking), reset(asking), reset(head('CONNECT b:80'))])
  failing.close()
  expect(statuses(await raw(port, head('GET /nights/x')))).toEqual([400])
})

test('who waits for a connection to the backend and goes is not sent on, in a turn either', async () => {
  const slow: (() => void)[] = []
  const far = createServer((_, response) => void slow.push(() => response.end()))
  await new Promise<void>((resolve) => far.listen(0, '127.0.0.1', resolve))
  const turn = { of: 'night', by: ['path.night'] as ['path.night'], wait: '9s' as const }
  const take = endpoint('POST /turns/{night}', { path: { night: integer() }, turn })
  const { url, close } = await listen(
    front(intake({ endpoints: { take } }), {
      to: `http://127.0.0.1:${(far.address() as AddressInfo).port}`,
      connections: 1,
    }),
  )
  const ask = (night: number, signal?: AbortSignal) =>
    fetch(`${url}/turns/${night}`, { method: 'POST', ...(signal ? { signal } : {}) }).then(
      ({ status }) => status,
      () => 'gone',
    )
  const first = ask(1)
  while (slow.length < 1) await new Promise((resolve) => setTimeout(resolve, 5))
  const gone = new AbortController()
  const second = ask(2, gone.signal)
  await new Promise((resolve) => setTimeout(resolve, 100))
  gone.abort()
  expect(await second).toBe('gone')
  const third = ask(2)
  await new Promise((resolve) => setTimeout(resolve, 50))
  slow[0]?.()
  expect(await first).toBe(200)
  while (slow.length < 2) await new Promise((resolve) => setTimeout(resolve, 5))
  slow[1]?.()
  expect(await third).toBe(200)
  expect(slow.length).toBe(2)
  await close()
  far.close()
})

test('a turn lasts as long as the answer of the backend; another version of the intake', async () => {
  const slow: (() => void)[] = []
  const far = createServer((_, response) => void slow.push(() => response.end('done')))
  await new Promise<void>((resolve) => far.listen(0, '127.0.0.1', resolve))
  const of = (most: number) =>
    intake({
      endpoints: {
        take: endpoint('POST /turns', {
          body: record({ team: text({ length: [1, most] }) }),
          turn: { of: 'team', by: ['body.team'], wait: '0s' },
        }),
      },
    })
  const made = front(of(1), { to: `http://127.0.0.1:${(far.address() as AddressInfo).port}` })
  const { url, close } = await listen(made)
  const ask = (team: string, signal?: AbortSignal) =>
    fetch(`${url}/turns`, {
      method: 'POST',
      body: JSON.stringify({ team }),
      headers: { 'content-type': 'application/json' },
      ...(signal ? { signal } : {}),
    }).then(({ status }) => status)
  const gone = new AbortController()
  const first = ask('a', gone.signal).catch(() => 'gone')
  while (slow.length < 1) await new Promise((resolve) => setTimeout(resolve, 5))
  gone.abort()
  expect(await first).toBe('gone')
  expect(await ask('a')).toBe(409)
  expect(await ask('bb')).toBe(422)
  made.replace(of(2))
  const second = ask('bb')
  while (slow.length < 2) await new Promise((resolve) => setTimeout(resolve, 5))
  for (const end of slow) end()
  expect(await second).toBe(200)
  expect(() => made.replace(intake({ endpoints: { bookNight }, unlisted: { body: 'drop' } }))).toThrow('are dropped')
  await close()
  far.close()
})

test('an intake that could not stand before another server', () => {
  const refuse = (declaration: object, options: object = {}) => {
    try {
      front(intake({ endpoints: { bookNight }, ...declaration } as never), { to, ...options })
      return undefined
    } catch (error) {
      return (error as Error).message
    }
  }
  const nested = endpoint('POST /n', { body: record({ a: record({ b: text() }, { unlisted: 'drop' }) }) })
  expect([
    refuse({ unlisted: { query: 'drop' } }),
    refuse({ unlisted: { body: 'drop' } }),
    refuse({ endpoints: { nested } }),
    refuse({}, { to: 'http://a/b' }),
    refuse({}, { to: 'a:b' }),
    refuse({}, { to: 'http://u:secret@a' }),
    refuse({}, { connections: 0 }),
    refuse({}, { observe: ['head'] }),
  ]).toMatchInlineSnapshot(`
   [
     "front, bookNight, query: names that are not declared are dropped, and the backend would get them nonetheless. Write unlisted: { query: 'refuse' }.",
     "front, bookNight, body: names that are not declared are dropped, and the backend would get them nonetheless. Write unlisted: { body: 'refuse' }.",
     "front, nested, body.a: names that are not declared are dropped, and the backend would get them nonetheless. Write unlisted: 'refuse'.",
     "front: to is more than an origin, and targets go on as they came. Write its scheme, host and port: http://127.0.0.1:8080.",
     "front: to is 'a:b', and not of HTTP. Write its scheme, host and port: http://127.0.0.1:8080.",
     "front: to is more than an origin, and targets go on as they came. Write its scheme, host and port: http://127.0.0.1:8080.",
     "front: connections is 0. Write how many connections there may be: 256.",
     "front: observe takes true or false, or a list, each 'path', 'query', 'header', 'cookie' or 'body', and not a list of 1. Write observe: true or ['path'].",
   ]
  `)
  const filled = endpoint('POST /f', {
    query: { limit: integer({ default: 5 }) },
    body: record({
      a: text({ tidy: ['trim'] }),
      b: text({ optional: true }),
      list: list(record({ c: flag({ default: false }) })),
    }),
    rules: (on) => [on.fill('body.b', ['body.a'], (a) => a)],
  })
  expect(
    front(intake({ endpoints: { filled } }), { to }).unseen.map(({ address, because }) => `${address} ${because}`),
  ).toEqual(['query.limit default', 'body.a tidy', 'body.list[].c default', 'body.b fill'])
})
