/** The desk's own intake: what the page asks, and from where it may. */
import { choice, endpoint, file, type Head, intake, integer, list, record, refuse, text } from 'yosei'

const draft = record({
  message: text({ length: [0, 10_000_000] }),
  now: text({ length: [1, 100], optional: true }),
  who: text({ length: [0, 10_000], optional: true }),
})
const name = text({ length: [1, 1000] })
const title = text({ length: [1, 200] })
const content = text({ length: [0, 10_000_000], keepEmpty: true })
const maybe = text({ length: [0, 10_000_000], keepEmpty: true, optional: true })
const saving = record({
  draft,
  file: name,
  title,
  replaces: text({ optional: true }),
  read: maybe,
  decisions: list(record({ was: maybe, now: maybe, decision: choice(['keep', 'take', 'remove']) }), {
    length: [0, 1000],
    optional: true,
  }),
})
const opened = { id: name, read: content }

export interface Home {
  /** The port that it listens on: known when it does. */
  port: number
}

/** Names of this machine, which no page of another site can take for its own. */
const isOwn = (host: string | null, port: number) =>
  host !== null && [`127.0.0.1:${port}`, `localhost:${port}`, `[::1]:${port}`].includes(host)

export const api = intake({
  title: 'Desk',
  limits: { body: '30MB', handle: '60s' },
  endpoints: {
    page: endpoint('GET /', {}),
    asset: endpoint('GET /assets/{file}', { path: { file: text({ pattern: /^[A-Za-z0-9._-]+$/, length: [1, 100] }) } }),
    catalogue: endpoint('GET /api/catalogue', {}),
    shelf: endpoint('GET /api/shelf', {}),
    changed: endpoint('GET /api/changes', { query: { after: integer({ min: 0 }) } }),
    sheet: endpoint('GET /api/endpoints/{name}', { path: { name } }),
    probes: endpoint('GET /api/endpoints/{name}/probes', { path: { name }, query: { address: name } }),
    sample: endpoint('GET /api/samples', { query: { id: name } }),
    callers: endpoint('GET /api/endpoints/{name}/callers', { path: { name } }),
    keep: endpoint('PUT /api/files/{id}', {
      path: { id: text({ pattern: /^[\w-]+$/, length: [1, 100] }) },
      body: { 'application/octet-stream': file({ bytes: '100MB' }) },
      limits: { body: '100MB' },
    }),
    save: endpoint('POST /api/samples', { body: saving }),
    preview: endpoint('POST /api/previews', { body: saving }),
    rename: endpoint('POST /api/renamings', { body: record({ ...opened, title }) }),
    remove: endpoint('POST /api/removals', { body: record(opened) }),
    undo: endpoint('POST /api/undoings', { body: record({ change: name }) }),
    judge: endpoint('POST /api/judgements', { body: draft }),
    answer: endpoint('POST /api/answers', {
      body: record({ draft, accept: text({ length: [0, 200] }), language: text({ length: [0, 100] }) }),
    }),
    recorded: endpoint('POST /api/recordings', { body: record({ har: text({ length: [0, 20_000_000] }) }) }),
    send: endpoint('POST /api/sendings', {
      body: record({
        draft,
        base: text({ format: 'uri', length: [1, 2000] }),
        times: integer({ min: 1, max: 200, default: 1 }),
      }),
    }),
  },
  identify({ headers }: Head, { home }: { home: Home }) {
    const host = headers.get('host')
    const origin = headers.get('origin')
    const isHere = isOwn(host, home.port) && (origin === null || origin === `http://${host}`)
    return isHere
      ? { from: 'here' }
      : refuse({
          status: 403,
          code: 'not_from_here',
          message: 'is not the desk itself',
          at: origin ? 'header.origin' : 'header.host',
        })
  },
})
