/** What is on the page: which request, of which endpoint, and all that it was before. */
import { type RefObject, useCallback, useEffect, useRef, useState } from 'react'
import type { Bench, Catalogue, Draft, Sheet, Shelf } from '../src/terms.ts'
import { useWindow } from './hooks.ts'
import { sceneOf } from './model/edits.ts'
import { changed, type History } from './model/history.ts'
import { secretsLeftOut, withSecretsOf } from './model/secrets.ts'
import { type Shared, sharedIn } from './model/share.ts'
import { startOf } from './model/start.ts'

/** Where the page keeps what a reload brings back: the fragment of its address, if nothing else is given. */
export interface Keeper {
  read(): string
  write(fragment: string): void
}
/** What is longer, addresses do not carry: then a reload begins anew. */
const longestFragment = 60_000
export const address: Keeper = {
  read: () => location.hash.slice(1),
  write: (fragment) =>
    window.history.replaceState(null, '', fragment.length < longestFragment ? `#${fragment}` : location.pathname),
}

interface Given {
  readonly bench: Bench
  readonly catalogue: Catalogue
  readonly keeper: Keeper
  readonly shelf: RefObject<Shelf | undefined>
  /** Called when another request comes onto the page. */
  readonly onOther: () => void
  readonly tell: (text: string) => void
}
export function useRequest({ bench, catalogue, keeper, shelf, onOther, tell }: Given) {
  const first = useRef(catalogue).current
  const [history, setHistory] = useState<History>()
  const [sheet, setSheet] = useState<Sheet>()
  const sheets = useRef(new Map<string, Sheet>())
  /** The request of each sample as it was when it was opened. */
  const asRead = useRef(new Map<string, string>())
  const turn = useRef(0)
  const endpoint = history?.now.endpoint
  const away = useCallback((error: Error) => tell(error.message), [tell])

  /** Puts a request on the page. */
  const go = useCallback(
    async (draft: Draft, opened?: string, known?: string) => {
      const own = ++turn.current
      const name = known ?? (await bench.judge(draft)).endpoint ?? first.endpoints[0]?.name
      // What was chosen later is what is meant.
      if (name === undefined || own !== turn.current) return
      onOther()
      setHistory((now) =>
        now
          ? changed(now, { endpoint: name, draft, opened }, '', Date.now())
          : { now: { endpoint: name, draft, opened }, past: [], future: [] },
      )
    },
    [bench, first, onOther],
  )
  const sheetOf = useCallback(
    async (name: string) => {
      const known = sheets.current.get(name) ?? (await bench.sheet(name))
      sheets.current.set(name, known)
      return known
    },
    [bench],
  )
  const openEndpoint = useCallback(
    async (name: string) => {
      const known = await sheetOf(name)
      const { method, template } = known.outline
      const made = await startOf(bench, known, 'smallest', shelf.current)
      const bare = { message: `${method} ${template.replace(/\{[^}]+\}/g, 'x')} HTTP/1.1` }
      await go(made ?? bare, undefined, name)
    },
    [bench, sheetOf, go, shelf],
  )
  const openSample = useCallback(
    async (id: string) => {
      const sample = await bench.sample(id)
      asRead.current.set(id, sample.message)
      await go(sample, id)
    },
    [bench, go],
  )
  /** What an address says; secrets that it leaves out are those of the sample that was opened. */
  const openShared = useCallback(
    async ({ endpoint: name, draft, opened }: Shared) => {
      const { outline, base } = await sheetOf(name)
      const sample = opened === undefined ? undefined : await bench.sample(opened).catch(() => undefined)
      if (opened !== undefined && sample) asRead.current.set(opened, sample.message)
      const sceneOfText = (message: string) => sceneOf(outline, base, message)
      const message = sample ? withSecretsOf(sceneOfText(draft.message), sceneOfText(sample.message)) : draft.message
      await go({ ...draft, message, ...(sample?.who ? { who: sample.who } : {}) }, sample && opened, name)
      const missing = secretsLeftOut(sceneOfText(message))
      if (missing.length > 0)
        tell(
          `a link leaves out secrets; write your own at ${missing.slice(0, 5).join(', ')}${missing.length > 5 ? ', …' : ''}`,
        )
    },
    [bench, go, sheetOf, tell],
  )
  /** What the address says, if it is one of this page's. */
  const fromAddress = useCallback(async (): Promise<boolean> => {
    const fragment = keeper.read()
    const shared = await sharedIn(fragment)
    const isKnown = shared !== undefined && first.endpoints.some(({ name }) => name === shared.endpoint)
    if (isKnown) await openShared(shared)
    else if (shared) tell(`this link is of the endpoint ${shared.endpoint}, which is not here`)
    else if (fragment !== '') tell('this link is broken or cut off; ask for it again')
    return isKnown
  }, [keeper, first, openShared, tell])
  // What the address says, or the first sample, or the first endpoint.
  useEffect(() => {
    const start = async () => {
      const [sample] = first.books.flatMap(({ samples }) => samples)
      if (await fromAddress()) return
      if (sample) await openSample(sample.id)
      else if (first.endpoints[0]) await openEndpoint(first.endpoints[0].name)
    }
    start().catch(away)
  }, [first, fromAddress, openSample, openEndpoint, away])
  useWindow('hashchange', () => fromAddress().catch(away))

  useEffect(() => {
    if (endpoint === undefined) return
    let isCurrent = true
    sheetOf(endpoint).then((came) => isCurrent && setSheet(came), away)
    return () => {
      isCurrent = false
    }
  }, [endpoint, sheetOf, catalogue, away])

  return { history, setHistory, sheet, sheets, asRead, go, openEndpoint, openSample, away }
}
