// biome-ignore-all format: a table reads line by line
/** The lines of docs/runtimes.md, in each runtime that npm has for this machine: the same answers as in Node. */
import { type ChildProcess, spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { afterAll, describe, expect, test } from '@jest/globals'
import type { Browser } from 'playwright-core'
import { launch } from '../packages/yosei-desk/test/browser.ts'

const root = fileURLToPath(new URL('..', import.meta.url))
const home = join(root, 'node_modules/.cache/runtimes')
const names = ['bun', 'deno', 'workerd'] as const
// They are large, and not needed for anything else: had when this runs, and kept.
const bin = (name: string) => join(home, 'node_modules/.bin', name)
if (!names.every((name) => existsSync(bin(name)))) {
  mkdirSync(home, { recursive: true })
  writeFileSync(join(home, 'package.json'), '{ "private": true }')
  spawnSync('npm', ['install', '--no-audit', '--no-fund', ...names], { cwd: home })
}
const runs = (name: string) => existsSync(bin(name)) && spawnSync(bin(name), ['--version']).status === 0

const folder = mkdtempSync(join(root, 'test/.runtimes-'))
symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'))
const blocks = [...readFileSync(join(root, 'docs/runtimes.md'), 'utf8').matchAll(/in `([\w-]+\.js)`[\s\S]*?```javascript\n([\s\S]*?)```/g)]
for (const [, name = '', code = ''] of blocks) writeFileSync(join(folder, name), code)
/** The service of the docs has one endpoint; this one has what differs between runtimes. */
writeFileSync(join(folder, 'intake.js'), `import { endpoint, file, flag, intake, integer, list, lines, record, text } from 'yosei'
const wait = (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds))
const note = record({ title: text({ length: [1, 9] }), stars: integer({ max: 5 }), tags: list(text(), { optional: true }) })
const endpoints = {
  addNote: endpoint('POST /notes/{id}', { path: { id: integer() }, query: { dry: flag({ default: false }) }, body: note, success: 201, rules: (on) => [on.distinct('body.tags[]'), on.needed('body.tags', on.is('body.stars', 5))] }),
  upload: endpoint('POST /files', { body: { 'multipart/form-data': record({ name: text(), file: file({ bytes: '1kB', types: ['text/plain'] }) }) } }),
  rows: endpoint('POST /rows', { body: { 'application/x-ndjson': lines(note) } }),
  form: endpoint('POST /forms', { body: { 'application/x-www-form-urlencoded': record({ a: list(text()) }) } }),
  known: endpoint('POST /known', { body: record({ id: text() }), lookups: (on) => ({ id: on.lookup({ reads: ['body.id'], within: '200ms', ask: async (_, [id]) => { if (id === 'slow') await wait(2000); if (id === 'broken') throw new Error('down'); return id === 'a' ? id : undefined } }) }) }),
  slow: endpoint('GET /slow/{milliseconds}', { path: { milliseconds: integer() } }),
  read: endpoint('GET /read', {}),
  turn: endpoint('POST /turns', { body: record({ of: text() }), turn: { of: 'it', by: ['body.of'], wait: '2s' } }),
}
export default intake({ endpoints, limits: { handle: '300ms', receive: '2s', body: '64kB' }, journal: { write: () => undefined } })
`)
writeFileSync(join(folder, 'handlers.js'), `let inside = 0
let most = 0
const wait = (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds))
export const services = {}
export const handlers = {
  addNote: ({ path, query, body }) => ({ ...path, ...query, ...body }),
  upload: async ({ body: { name, file } }) => ({ name, bytes: file.bytes, text: await new Response(file.stream()).text() }),
  rows: ({ body }) => body.length,
  form: ({ body }) => body,
  known: () => 'known',
  slow: async ({ path }) => { await wait(path.milliseconds); return 'done' },
  turn: async () => { most = Math.max(most, ++inside); await wait(20); inside--; return { most } },
  read: () => globalThis.read ?? 0,
}
`)
writeFileSync(join(folder, 'app.js'), `import { serve } from 'yosei'
import { handlers, services } from './handlers.js'
import app from './intake.js'
export const handle = serve(app, handlers, { services })
`)
spawnSync(process.execPath, [join(root, 'packages/yosei-cli/bin/yosei.js'), 'prepare', 'intake.js', '-o', 'intake.prepared.js'], { cwd: folder, stdio: ['ignore', 'ignore', 'inherit'] })
const prepared = readFileSync(join(folder, 'intake.prepared.js'), 'utf8')
// It counts how often it reads.
writeFileSync(join(folder, 'intake.prepared.js'), prepared.replace(/\(function read_addNote\(.*\) \{/, '$& globalThis.read = (globalThis.read ?? 0) + 1'))
for (const name of ['worker.js', 'page-worker.js'])
  writeFileSync(join(folder, `prepared-${name}`), readFileSync(join(folder, name), 'utf8').replace('./app.js', './prepared-app.js'))
afterAll(() => rmSync(folder, { recursive: true }))

interface Sent { readonly target: string; readonly method?: string; readonly headers?: Record<string, string>; readonly body?: string | Uint8Array }
const json = { 'content-type': 'application/json' }
const multipart = (content: string) => `--b\r\nContent-Disposition: form-data; name="name"\r\n\r\né\r\n--b\r\nContent-Disposition: form-data; name="file"; filename="f.txt"\r\nContent-Type: text/plain\r\n\r\n${content}\r\n--b--\r\n`
const upload = { target: '/files', method: 'POST', headers: { 'content-type': 'multipart/form-data; boundary=b' } }
const rows: readonly (readonly [what: string, sent: Sent, status: number, says: string])[] = [
  ['JSON', { target: '/notes/1?dry', method: 'POST', headers: json, body: '{"title":"é","stars":1,"tags":["a"]}' }, 201, '{"id":1,"dry":true,"title":"é","stars":1,"tags":["a"]}'],
  ['all errors', { target: '/notes/x?dyr=1', method: 'POST', headers: json, body: '{"title":"","stars":9,"tags":["a","a"]}' }, 400, 'body.tags[1]'],
  ['a rule with a condition', { target: '/notes/1', method: 'POST', headers: json, body: '{"title":"a","stars":5}' }, 422, 'needed'],
  ['another language', { target: '/notes/1', method: 'POST', headers: { ...json, 'accept-language': 'de' }, body: '{"title":"a","stars":9}' }, 422, 'darf höchstens'],
  ['bytes that are no UTF-8', { target: '/notes/1', method: 'POST', headers: json, body: Uint8Array.of(123, 255) }, 400, 'bad_syntax'],
  ['gzip', { target: '/notes/1', method: 'POST', headers: { ...json, 'content-encoding': 'gzip' }, body: gzipSync('{"title":"a","stars":1}') }, 201, '"stars":1'],
  ['broken gzip', { target: '/notes/1', method: 'POST', headers: { ...json, 'content-encoding': 'gzip' }, body: 'no gzip' }, 400, 'body'],
  ['more than may come', { target: '/notes/1', method: 'POST', headers: json, body: `{"title":"${'a'.repeat(70_000)}"}` }, 413, 'too_large'],
  ['more than may come of gzip', { target: '/notes/1', method: 'POST', headers: { ...json, 'content-encoding': 'gzip' }, body: gzipSync(`{"title":"${'a'.repeat(70_000)}"}`) }, 413, 'too_large'],
  ['a file', { ...upload, body: multipart('text') }, 200, '{"name":"é","bytes":4,"text":"text"}'],
  ['too large a file', { ...upload, body: multipart('a'.repeat(1025)) }, 413, 'too_large'],
  ['lines', { target: '/rows', method: 'POST', headers: { 'content-type': 'application/x-ndjson' }, body: '{"title":"a","stars":1}\n{"title":"b","stars":2}\n' }, 200, '2'],
  ['a form', { target: '/forms', method: 'POST', headers: { 'content-type': 'application/x-www-form-urlencoded' }, body: 'a=1&a=x+y' }, 200, '{"a":["1","x y"]}'],
  ['a lookup that finds', { target: '/known', method: 'POST', headers: json, body: '{"id":"a"}' }, 200, 'known'],
  ['a lookup that finds nothing', { target: '/known', method: 'POST', headers: json, body: '{"id":"b"}' }, 422, 'not_found'],
  ['a lookup that throws', { target: '/known', method: 'POST', headers: json, body: '{"id":"broken"}' }, 503, 'urn:uuid'],
  ['no such path', { target: '/nothing' }, 404, 'about:blank'],
]

/** Sends a request; in a page, through its worker. */
type Send = (sent: Sent) => Promise<{ status: number; body: string }>
const over = (url: string): Send => async ({ target, ...sent }) => {
  const response = await fetch(new URL(target, url), sent as RequestInit)
  return { status: response.status, body: await response.text() }
}
const ends: (() => Promise<unknown> | unknown)[] = []
afterAll(async () => { for (const end of ends) await end() })

/** A process with all that it starts: what is in a package may only start what is in another. */
function begun(name: string, args: readonly string[]): ChildProcess {
  const child = spawn(bin(name), args, { cwd: folder, stdio: ['ignore', 'pipe', 'ignore'], detached: true })
  ends.push(() => process.kill(-(child.pid as number), 'SIGKILL'))
  return child
}

/** Starts a process that prints the URL at which it listens. */
async function started(name: string, args: readonly string[]): Promise<string> {
  const child = begun(name, args)
  let printed = ''
  for await (const chunk of child.stdout ?? []) {
    printed += chunk
    const url = /http:\/\/\S+/.exec(printed)?.[0]
    if (url) return url
  }
  throw new Error(`${name} printed no URL: ${printed}`)
}
/** In a process of its own: a bundler that is native takes no objects of a test's realm. */
function bundled(name: string): void {
  const options = { input: name, platform: 'browser', resolve: { conditionNames: ['worker', 'browser', 'import'] }, output: { file: `made-${name}`, format: 'esm', codeSplitting: false }, logLevel: 'silent' }
  const program = `const { build } = await import('rolldown'); await build(${JSON.stringify(options)})`
  const { status, stderr } = spawnSync(process.execPath, ['--input-type=module', '-e', program], { cwd: folder, encoding: 'utf8' })
  if (status !== 0) throw new Error(stderr)
}
async function freePort(): Promise<number> {
  const server = createServer().listen(0)
  await once(server, 'listening')
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}

const runtimes: { readonly [name: string]: () => Promise<Send> } = {
  bun: async () => over(await started('bun', ['bun.js'])),
  deno: async () => over(await started('deno', ['run', '--allow-net', '--allow-env', '--allow-read', '--allow-write', '--allow-sys', 'deno.js'])),
  workerd: () => inWorkerd('worker.js'),
  'workerd, prepared': () => inWorkerd('prepared-worker.js'),
  'a worker of a browser': () => inBrowser('page-worker.js'),
  'a worker of a browser, prepared': () => inBrowser('prepared-page-worker.js'),
}

async function inWorkerd(name: string): Promise<Send> {
    bundled(name)
    const port = await freePort()
    writeFileSync(join(folder, `${name}.capnp`), `using Workerd = import "/workerd/workerd.capnp";
const config :Workerd.Config = (
  services = [(name = "main", worker = (modules = [(name = "worker", esModule = embed "made-${name}")], compatibilityDate = "2026-01-01"))],
  sockets = [(name = "http", address = "127.0.0.1:${port}", http = (), service = "main")],
);
`)
    begun('workerd', ['serve', `${name}.capnp`])
    const url = `http://127.0.0.1:${port}/`
    for (let tries = 0; tries < 100; tries++) {
      if (await fetch(url).then(() => true, () => false)) break
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
    return over(url)
}

async function inBrowser(name: string): Promise<Send> {
    bundled(name)
    const server = createServer((request, response) => {
      const isPage = request.url === '/'
      // With this policy no code is made from text.
      response.writeHead(200, { 'content-type': isPage ? 'text/html' : 'text/javascript', 'content-security-policy': "script-src 'self'" })
      response.end(isPage ? '<!doctype html><title>a page</title>' : readFileSync(join(folder, `made-${name}`)))
    }).listen(0, '127.0.0.1')
    await once(server, 'listening')
    ends.push(() => server.close())
    const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`
    const browser: Browser = await launch()
    ends.push(() => browser.close())
    const page = await browser.newPage()
    await page.goto(origin)
    // One worker for all, as a page would have it; each answer comes for the request that was sent before.
    return ({ target, body, ...sent }) =>
      page.evaluate(async ({ url, body, sent }) => {
        const own = globalThis as unknown as { worker: Worker }
        own.worker ??= new Worker('/worker.js', { type: 'module' })
        const bytes = Uint8Array.from(body, (one) => one)
        return new Promise<{ status: number; body: string }>((resolve, refuse) => {
          own.worker.onmessage = ({ data }) => resolve(data)
          own.worker.onerror = ({ message }) => refuse(new Error(message))
          own.worker.postMessage({ url, ...sent, ...(body.length > 0 ? { body: bytes } : {}) })
        })
      }, { url: new URL(target, origin).href, sent, body: [...Buffer.from(body ?? '')] })
}

for (const [name, start] of Object.entries(runtimes)) {
  const [runtime = ''] = name.split(',')
  const isThere = !(names as readonly string[]).includes(runtime) || runs(runtime)
  if (!isThere) console.error(`NOT TESTED: ${name}, which could not be had here`)
  const about = isThere ? describe : describe.skip
  about(name, () => {
    let send: Send | undefined
    const asked: Send = async (sent) => {
      send ??= await start()
      return send(sent)
    }
    test.each(rows)('%s', async (_, sent, status, says) => {
      const answer = await asked(sent)
      expect([answer.status, answer.body]).toEqual([status, expect.stringContaining(says)])
    })
    test('code that is prepared reads, and no other', async () => {
      expect((await asked({ target: '/notes/1', method: 'POST', headers: json, body: '{"title":"a","stars":1}' })).status).toBe(201)
      expect((await asked({ target: '/read' })).body).toEqual(name.includes('prepared') ? expect.stringMatching(/^[1-9]/) : '0')
    })
    test('limits of time hold for each request, one after the other', async () => {
      for (let times = 0; times < 3; times++) {
        expect((await asked({ target: '/slow/1' })).status).toBe(200)
        const since = performance.now()
        expect((await asked({ target: '/slow/2000' })).status).toBe(503)
        expect((await asked({ target: '/known', method: 'POST', headers: json, body: '{"id":"slow"}' })).status).toBe(503)
        // As far as the limits, and not as far as what they end.
        expect(performance.now() - since).toBeLessThan(3500)
      }
    })
    if (runtime !== 'a worker of a browser')
      test('limits and turns hold for requests at the same time', async () => {
        const slow = await Promise.all(Array.from({ length: 4 }, () => asked({ target: '/slow/2000' })))
        expect(slow.map(({ status }) => status)).toEqual([503, 503, 503, 503])
        const turns = await Promise.all(Array.from({ length: 5 }, () => asked({ target: '/turns', method: 'POST', headers: json, body: '{"of":"a"}' })))
        expect(turns.map(({ status, body }) => `${status} ${body}`)).toEqual(Array(5).fill('200 {"most":1}'))
      })
  })
}
