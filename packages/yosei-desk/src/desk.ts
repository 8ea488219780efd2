/** The desk on 127.0.0.1: one page, and what judges for it, with the user's own module and services. */
import { readFileSync, watch } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { basename, dirname } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type BrokenMessage, type Message, refuse, serve } from 'yosei'
import { listen } from 'yosei/node'
import { api } from './api.js'
import { type Book, createBench, type Matter, Misplaced } from './bench.js'
import { booksAt, Conflict } from './books.js'
import { FileGone } from './bytes.js'
import { messageOf } from './draft.js'
import type { Kit } from './kit.js'
import { pageFolder } from './page-folder.js'
import type { Bench, SendOrder, Sent } from './terms.js'

export { buildDesk } from './build.js'
export type { AnyVerdict, BookSample, Kit } from './kit.js'
export type { Covered, Decision, OpenLine, SendOrder, Sent } from './terms.js'

export interface DeskOptions {
  /** Loads the intake, and what makes services for it; throws where it cannot, with words for people. */
  load(): Promise<Pick<Matter, 'app' | 'makeServices'>>
  /** The sample books that may be written to. */
  readonly files: readonly string[]
  /** Modules that are loaded again when they change. */
  readonly modules: readonly string[]
  readonly kit: Kit
  /** Sends a message to a server. */
  readonly send: (message: Message | BrokenMessage, to: Omit<SendOrder, 'draft'>) => Promise<readonly Sent[]>
  /** A free one where it is 0, or not said. */
  readonly port?: number | undefined
}
export interface Desk {
  readonly url: string
  close(): Promise<void>
}

const types: { readonly [ending: string]: string } = {
  js: 'text/javascript; charset=utf-8',
  css: 'text/css; charset=utf-8',
  woff2: 'font/woff2',
  svg: 'image/svg+xml',
}

/**
 * Starts the desk.
 *
 * @throws What `load` throws; Error where a book cannot be read, or the port is taken.
 */
export async function startDesk({ load, files, modules, kit, send, port = 0 }: DeskOptions): Promise<Desk> {
  const home = { port: 0 }
  const booksNow = (): Book[] => files.map((file) => ({ file, page: readFileSync(file, 'utf8') }))
  const kept = new Map<string, Uint8Array>()
  let matter: Matter = { ...(await load()), books: booksNow(), kit, files: kept, revision: 1 }
  let bench: Bench = createBench(matter)
  const waiting = new Set<() => void>()

  const renew = (next: Matter): void => {
    bench = createBench(next)
    matter = next
    for (const wake of waiting) wake()
  }
  /** What is read anew; if it cannot be any more, what was there stays. */
  const reloadNow = async (isModule: boolean): Promise<void> => {
    const known = matter
    const next = () => (matter.revision ?? 0) + 1
    try {
      // What the desk has written itself is known.
      if (!isModule && known.broken === undefined && booksNow().every(({ page }, at) => page === known.books[at]?.page))
        return
      const loaded = await load()
      renew({ ...loaded, books: booksNow(), kit, files: kept, revision: next() })
    } catch (error) {
      const { app, makeServices, books } = matter
      renew({ app, makeServices, books, kit, files: kept, revision: next(), broken: firstLine(error) })
    }
  }
  let reloading: Promise<void> = Promise.resolve()
  /** One after the other: of two at once, the one that began first could end last, and bring back what was before. */
  const reload = (isModule: boolean): Promise<void> => {
    reloading = reloading.then(() => reloadNow(isModule))
    return reloading
  }
  async function changeWithin(milliseconds: number, signal: AbortSignal): Promise<void> {
    const gone = new AbortController()
    const wake = () => gone.abort()
    waiting.add(wake)
    await sleep(milliseconds, undefined, { signal: AbortSignal.any([signal, gone.signal]) }).catch(() => undefined)
    waiting.delete(wake)
  }
  const stopWatching = watchFiles(files, modules, reload)

  const books = booksAt(
    files,
    () => matter,
    () => renew({ ...matter, books: booksNow(), revision: (matter.revision ?? 0) + 1 }),
  )

  const handle = serve(
    api,
    {
      page: async () =>
        new Response(await readFile(new URL('index.html', pageFolder)), {
          headers: {
            'content-type': 'text/html; charset=utf-8',
            'content-security-policy':
              "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'",
          },
        }),
      asset: async ({ path: { file } }) => {
        const content = await readFile(new URL(`assets/${basename(file)}`, pageFolder)).catch(() => undefined)
        if (!content)
          return refuse({ status: 404, code: 'not_found', message: 'is not one of its files', at: 'path.file' })
        const type = types[/\.([a-z0-9]+)$/.exec(file)?.[1] ?? ''] ?? 'application/octet-stream'
        return new Response(content, {
          headers: { 'content-type': type, 'cache-control': 'max-age=31536000, immutable' },
        })
      },
      catalogue: () => bench.catalogue(),
      shelf: () => bench.shelf(),
      async changed({ query: { after } }, { signal }) {
        if ((matter.revision ?? 0) <= after) await changeWithin(20_000, signal)
        return { revision: matter.revision ?? 0 }
      },
      sheet: ({ path: { name } }) => told(() => bench.sheet(name), 'path.name'),
      probes: ({ path: { name }, query: { address } }) => told(() => bench.probes(name, address), 'path.name'),
      sample: ({ query: { id } }) => told(() => bench.sample(id), 'query.id'),
      callers: ({ path: { name } }) => told(() => bench.callers(name), 'path.name'),
      async keep({ path: { id }, body }) {
        await bench.keep(id, new Blob([(await body.bytesNow()) as BlobPart]))
      },
      save: ({ body }) => told(() => books.save(defined(body)), 'body'),
      preview: ({ body }) => told(() => books.preview(defined(body)), 'body'),
      rename: ({ body }) => told(() => books.rename(body), 'body'),
      remove: ({ body }) => told(() => books.remove(body), 'body'),
      undo: ({ body: { change } }) => told(() => books.undo(change), 'body.change'),
      judge: ({ body }) => told(() => bench.judge(defined(body)), 'body'),
      answer: ({ body: { draft, ...wishes } }) => told(() => bench.answer(defined(draft), wishes), 'body'),
      recorded: ({ body: { har } }) => told(() => bench.recorded(har), 'body.har'),
      send: ({ body: { draft, ...where } }) => told(() => send(messageOf(defined(draft), kept), where), 'body.base'),
    },
    { services: { home } },
  )
  const { url, port: own, close } = await listen(handle, { port })
  home.port = own
  return {
    url,
    async close() {
      stopWatching()
      for (const wake of waiting) wake()
      await close()
    },
  }
}

/** What is not there is left out. */
const defined = <T extends object>(one: T): { [K in keyof T]: Exclude<T[K], undefined> } =>
  Object.fromEntries(Object.entries(one).filter(([, value]) => value !== undefined)) as never

/** An error with words for people is reported at a place. */
async function told<T>(ask: () => T | Promise<T>, at: string) {
  try {
    return await ask()
  } catch (error) {
    if (!(error instanceof Error)) throw error
    const code = error instanceof Conflict || error instanceof FileGone ? error.code : 'not_done'
    const place = error instanceof Misplaced ? `body.${error.at}` : at
    return refuse({ status: error instanceof RangeError ? 409 : 422, code, message: firstLine(error), at: place })
  }
}

const firstLine = (error: unknown) => String(error instanceof Error ? error.message : error).split('\n')[0] ?? ''

/** Calls back a moment after books have changed, or modules and what lies beside them. */
function watchFiles(
  books: readonly string[],
  modules: readonly string[],
  changed: (isModule: boolean) => void,
): () => void {
  let timer: NodeJS.Timeout | undefined
  let isModule = false
  const isBook = (folder: string, name: string) =>
    books.some((file) => dirname(file) === folder && basename(file) === name)
  const folders = new Set([...books, ...modules].map((file) => dirname(file)))
  const watchers = [...folders].map((folder) =>
    watch(folder, (_, name) => {
      if (name === null || !(isBook(folder, name) || /\.(?:[cm]?[jt]s|json)$/.test(name))) return
      isModule ||= !isBook(folder, name)
      clearTimeout(timer)
      timer = setTimeout(() => {
        changed(isModule)
        isModule = false
      }, 80)
    }),
  )
  return () => {
    clearTimeout(timer)
    for (const one of watchers) one.close()
  }
}
