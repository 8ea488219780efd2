/** The front between clients and a backend that fail, 200 times each: nothing hangs, nothing is left, each is logged. */
import { type AddressInfo, connect, createServer, type Socket } from 'node:net'
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals'
import { endpoint, intake, type JournalEvent, record, text } from 'yosei'
import { front, type Listening, listen } from 'yosei/node'

const count = 200
const part = Buffer.alloc(65_536, 'x')

type Mode =
  | 'answers'
  | 'dies'
  | 'dies in its answer'
  | 'is silent'
  | 'stops'
  | 'speaks no HTTP'
  | 'sends on and on'
  | 'answers early'
let mode: Mode = 'answers'
let asked = 0
/** Requests whose heads have come. */
let heads = 0
const open = new Set<Socket>()
const answer = (socket: Socket): unknown => {
  switch (mode) {
    case 'answers':
      return socket.write('HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nok')
    case 'dies':
      return socket.destroy()
    case 'dies in its answer':
      return socket.write('HTTP/1.1 200 OK\r\ncontent-length: 1000\r\n\r\nhalf', () => socket.destroy())
    case 'is silent':
      return undefined
    case 'stops':
      return socket.write('HTTP/1.1 200 OK\r\ncontent-length: 1000\r\n\r\nhalf')
    case 'speaks no HTTP':
      return socket.write('220 ready\r\n')
    case 'sends on and on': {
      socket.write('HTTP/1.1 200 OK\r\n\r\n')
      const more = setInterval(() => socket.write(part), 20)
      return socket.once('close', () => clearInterval(more))
    }
    case 'answers early':
      return socket.write('HTTP/1.1 413 Content Too Large\r\ncontent-length: 3\r\n\r\nno!')
    default:
      return mode satisfies never
  }
}
const backend = createServer((socket) => {
  open.add(socket)
  let came = ''
  let [hasHead, isAnswered] = [false, false]
  socket.on('error', () => undefined).on('close', () => open.delete(socket))
  socket.on('data', (chunk) => {
    came += chunk.toString('latin1')
    const end = came.indexOf('\r\n\r\n')
    if (end < 0 || isAnswered) return
    if (!hasHead) heads++
    hasHead = true
    const length = Number(/\r\ncontent-length: (\d+)/i.exec(came)?.[1])
    if (mode !== 'answers early' && came.length - end - 4 < length) return
    asked++
    isAnswered = mode === 'answers early'
    came = ''
    hasHead = false
    answer(socket)
  })
})

const events: JournalEvent[] = []
const body = record({ team: text() })
const app = intake({
  endpoints: {
    book: endpoint('POST /nights', { body }),
    take: endpoint('POST /turns', { body, turn: { of: 'team', by: ['body.team'], wait: '10s', longest: '2s' } }),
  },
  limits: { handle: '3s', receive: '3s' },
  journal: { write: (event) => void events.push(event) },
})
let listening: Listening
beforeAll(() => new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve)))
// Each fault finds a front of its own, without connections that another has left.
beforeEach(async () => {
  const to = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`
  listening = await listen(front(app, { to, unmatched: 'next', idle: '3s' }))
})
afterEach(async () => {
  for (const socket of open) socket.destroy()
  await listening.close()
})
afterAll(() => void backend.close())

type Client = 'waits' | 'goes at the answer' | 'goes' | 'sends on and on'
/** The status that a client gets, `half` if its answer breaks off, `none`, or `hangs`. */
function ask(message: string, client: Client): Promise<string> {
  return new Promise((resolve) => {
    const socket = connect(listening.port, '127.0.0.1')
    let came = ''
    let hangs = false
    const late = setTimeout(() => {
      hangs = true
      socket.destroy()
    }, 20_000)
    const more =
      client === 'sends on and on'
        ? setInterval(() => socket.writable && socket.write('x'.repeat(1000)), 20)
        : undefined
    socket.on('data', (chunk) => {
      if (came.length < 1000) came += chunk.toString('latin1')
      if (client === 'goes at the answer') socket.destroy()
    })
    socket.on('error', () => undefined)
    socket.on('close', () => {
      clearTimeout(late)
      clearInterval(more)
      const [, status = 'none'] = /HTTP\/1\.1 (\d+)/.exec(came) ?? []
      resolve(hangs ? 'hangs' : client === 'goes at the answer' ? 'gone' : came.endsWith('half') ? 'half' : status)
    })
    socket.write(message)
    // When all have reached the backend.
    const look = () => (heads < count ? setTimeout(look, 20) : socket.destroy())
    if (client === 'goes') look()
  })
}
const head = (target: string, length: number) =>
  `POST ${target} HTTP/1.1\r\nHost: a\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: ${length}\r\n\r\n`
const book = () => `${head('/nights', 12)}{"team":"a"}`
const take = (index: number) => `${head('/turns', 14)}{"team":"${String(index % 20).padStart(3)}"}`
const upload = () => `${head('/files', 10_000_000)}${'x'.repeat(1000)}`
const tally = (all: readonly string[]) =>
  Object.fromEntries([...new Set(all)].sort().map((one) => [one, all.filter((other) => other === one).length]))

// What the backend does, what is sent, what the client does; then its answers, and what is logged.
test.each<[string, Mode, (index: number) => string, Client, object, object]>([
  ['killed before its answer', 'dies', book, 'waits', { 502: count }, { 'failed 502': count }],
  ['killed in the middle of its answer', 'dies in its answer', book, 'waits', { half: count }, { 'failed 502': count }],
  ['a slow head', 'is silent', book, 'waits', { 504: count }, { 'failed 504': count }],
  ['a slow body', 'stops', book, 'waits', { half: count }, { 'failed 504': count }],
  ['no HTTP', 'speaks no HTTP', book, 'waits', { 502: count }, { 'failed 502': count }],
  ['a client that goes while it waits', 'is silent', book, 'goes', { none: count }, { 'gone 400': count }],
  [
    'a client that goes in its answer',
    'sends on and on',
    book,
    'goes at the answer',
    { gone: count },
    { 'gone 400': count },
  ],
  ['a client that goes in its upload', 'answers', upload, 'goes', { none: count }, { 'rejected 400': count }],
  ['a client that stops in its upload', 'answers', upload, 'waits', { 408: count }, { 'rejected 408': count }],
  ['an answer before the body has come', 'answers early', upload, 'sends on and on', { 413: count }, { unjudged: 1 }],
  ['killed in a turn', 'dies in its answer', take, 'waits', { half: count }, { 'failed 502': count }],
  ['turns after that', 'answers', take, 'waits', { 200: count }, {}],
  ['no fault', 'answers', book, 'waits', { 200: count }, {}],
])(
  '%s',
  async (_, does, message, client, answers, logged) => {
    mode = does
    asked = 0
    heads = 0
    events.length = 0
    const came = await Promise.all(Array.from({ length: count }, (_, index) => ask(message(index), client)))
    const connections = () => new Promise((resolve) => listening.server.getConnections((_, left) => resolve(left)))
    while ((await connections()) !== 0) await new Promise((resolve) => setTimeout(resolve, 20))
    const expected = Object.values(logged).reduce((sum, one) => sum + one, 0)
    while (events.length < expected) await new Promise((resolve) => setTimeout(resolve, 20))
    expect(tally(came)).toEqual(answers)
    // An upload that is cut off is noticed at its one end or at the other first.
    const isCut = message === upload && client === 'goes'
    const told = ({ outcome, status }: JournalEvent) =>
      outcome === 'unjudged' ? outcome : `${isCut && outcome === 'gone' ? 'rejected' : outcome} ${status}`
    expect(tally(events.map(told))).toEqual(logged)
    // What never comes whole is not answered; all else came once.
    expect(asked).toBe(message === upload && does === 'answers' ? 0 : count)
  },
  60_000,
)
