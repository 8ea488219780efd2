/** The desk on 127.0.0.1: one page, and what judges for it, with the user's own module and services. */
import { readFileSync, watch } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { basename, dirname } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { refuse, serve } from 'yosei'
import { listen } from 'yosei/node'
import { api } from './api.js'
import { type Book, createBench, type Matter } from './bench.js'
import { draftOf } from './draft.js'
import type { Kit } from './kit.js'
import { pageFolder } from './page-folder.js'
import { alone, putFile } from './put.js'
import { savedPage } from './save.js'
import type { Bench, Saved, SaveOrder, SendOrder, Sent, Undecided } from './terms.js'

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
  readonly send: (order: SendOrder) => Promise<readonly Sent[]>
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
  let matter: Matter = { ...(await load()), books: booksNow(), kit, revision: 1 }
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
      renew({ ...loaded, books: booksNow(), kit, revision: next() })
    } catch (error) {
      const { app, makeServices, books } = matter
      renew({ app, makeServices, books, kit, revision: next(), broken: firstLine(error) })
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

  let saving: Promise<unknown> = Promise.resolve()
  /** One after the other: each begins with what the one before has written. */
  function save(order: SaveOrder): Promise<Saved | Undecided> {
    if (!files.includes(order.file)) throw new RangeError(`${order.file}: this book was not given to the desk`)
    const saved = saving.then(() => alone(order.file, () => saveNow(order)))
    saving = saved.catch(() => undefined)
    return saved
  }
  async function saveNow(order: SaveOrder): Promise<Saved | Undecided> {
    const { file, replaces, read } = order
    const page = readFileSync(file, 'utf8')
    const index = replaces === undefined ? undefined : Number(/#(\d+)$/.exec(replaces)?.[1]) - 1
    if (index !== undefined && !replaces?.startsWith(`${file}#`))
      throw new RangeError(`${replaces} is no sample of ${file}`)
    const there = index === undefined ? undefined : kit.readBook(page)[index]
    if (index !== undefined && (!there || draftOf(there).message !== read)) {
      // Who compares sees what is there now.
      renew({ ...matter, books: booksNow(), revision: (matter.revision ?? 0) + 1 })
      throw new Conflict(`${file} has another request there by now`)
    }
    const made = await savedPage(matter, page, order, index)
    if ('open' in made) return made
    const { page: whole, saved } = made
    putFile(file, whole)
    renew({ ...matter, books: booksNow(), revision: (matter.revision ?? 0) + 1 })
    return saved
  }

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
      save: ({ body }) => told(() => save(defined(body)), 'body'),
      judge: ({ body }) => told(() => bench.judge(defined(body)), 'body'),
      answer: ({ body: { draft, ...wishes } }) => told(() => bench.answer(defined(draft), wishes), 'body'),
      recorded: ({ body: { har } }) => told(() => bench.recorded(har), 'body.har'),
      send: ({ body }) => told(() => send({ ...body, draft: defined(body.draft) }), 'body.base'),
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

/** A book is not what it was when its sample was opened. */
class Conflict extends RangeError {}

/** What is not there is left out. */
const defined = <T extends object>(one: T): { [K in keyof T]: Exclude<T[K], undefined> } =>
  Object.fromEntries(Object.entries(one).filter(([, value]) => value !== undefined)) as never

/** An error with words for people is reported at a place. */
async function told<T>(ask: () => T | Promise<T>, at: string) {
  try {
    return await ask()
  } catch (error) {
    if (!(error instanceof Error)) throw error
    const code = error instanceof Conflict ? 'conflict' : 'not_done'
    return refuse({ status: error instanceof RangeError ? 409 : 422, code, message: firstLine(error), at })
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
