/** The desk. */
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { FieldError } from 'yosei'
import type { Bench, Caller, Catalogue, Draft, SampleEntry, Shelf } from '../src/terms.ts'
import { type ActionsOf, actionsOf } from './actions.ts'
import { Answer } from './answer.tsx'
import { choicesOf, probed } from './choices.ts'
import { Compared, type Other } from './compared.tsx'
import { About, Footnote, Masthead, type Notice, Notices } from './frame.tsx'
import { useHeight, useRevisions, useWindow } from './hooks.ts'
import { Ledger } from './ledger.tsx'
import { asCaller, callerOf } from './model/callers.ts'
import { foldedAddress, rulesByAddress, unmatched } from './model/declared.ts'
import { sceneOf } from './model/edits.ts'
import { changed, type History, redone, undone } from './model/history.ts'
import type { Line } from './model/lines.ts'
import { hiddenIn, secretTexts, withoutSecrets } from './model/secrets.ts'
import { fragmentOf, pasted } from './model/share.ts'
import { startOf } from './model/start.ts'
import { above, notesOf } from './model/verdicts.ts'
import { Rail } from './rail.tsx'
import type { Wanted } from './saving.tsx'
import { Sending } from './sending.tsx'
import { useActs } from './use-acts.ts'
import { useJudged } from './use-judged.ts'
import { address, type Keeper, useRequest } from './use-request.ts'
import { useSaving } from './use-saving.ts'
import { Station, type Stop, Way } from './way.tsx'

export type { Keeper } from './use-request.ts'

const Text = lazy(() => import('./text.tsx'))
const LineMenu = lazy(() => import('./menu.tsx'))
const Palette = lazy(() => import('./palette.tsx'))
const Saving = lazy(() => import('./saving.tsx'))
const Renaming = lazy(() => import('./saving.tsx').then(({ Renaming }) => ({ default: Renaming })))

const isApple = /Mac|iPhone|iPad/.test(navigator.userAgent)
const keyOf = (key: string) => `${isApple ? '⌘' : 'Ctrl '}${key}`
/** Up to here the rail lies above the ledger, and goes when it has been used. */
const narrow = 900
const never: readonly FieldError[] = []

interface AppProps {
  readonly bench: Bench
  readonly catalogue: Catalogue
  readonly keeper?: Keeper
  /** Whether the rail is folded away at first. */
  readonly isFolded?: boolean
}

const none: readonly Caller[] = []

export function App({ bench, catalogue: first, keeper = address, isFolded = false }: AppProps) {
  const [catalogue, setCatalogue] = useState(first)
  const [shelf, setShelf] = useState<Shelf>()
  const [stop, setStop] = useState<Stop>()
  const [isRail, setRail] = useState(() => !isFolded && window.innerWidth > narrow)
  const [over, setOver] = useState<'palette' | 'saving' | 'renaming'>()
  const [base, setBase] = useState('')
  /** How often sending was asked for; 0 if it is closed. */
  const [sending, setSending] = useState(0)
  const [other, setOther] = useState<Other>()
  const [came, setCallers] = useState<{ readonly endpoint: string; readonly callers: readonly Caller[] }>()
  const [notice, setNotice] = useState<Notice>()
  const [focused, setFocused] = useState<string>()
  const [isInLedger, setInLedger] = useState(false)
  const [menu, setMenu] = useState<{ line: Line; button: HTMLElement }>()
  const [rawLines, setRawLines] = useState<ReadonlySet<string>>(new Set())
  const [kept, setKept] = useState<ReadonlyMap<string, string>>(new Map())
  const reach = useRef<((address: string, isBelow?: boolean) => void) | null>(null)
  const shelfNow = useRef(shelf)
  shelfNow.current = shelf

  const tell = useCallback((text: string) => setNotice({ text }), [])
  const onOther = useCallback(() => {
    setRawLines(new Set())
    setKept(new Map())
    setOther(undefined)
  }, [])
  const request = useRequest({ bench, catalogue, keeper, shelf: shelfNow, onOther, tell })
  const { history, setHistory, sheet, go, openEndpoint, openSample, away } = request
  const state = history?.now
  const endpoint = state?.endpoint
  const draft = state?.draft
  /** What is known of the endpoint itself: nothing as long as what stands here is of the one before. */
  const ownSheet = sheet?.outline.name === endpoint ? sheet : undefined
  const callers = (ownSheet && came?.endpoint === endpoint && came?.callers) || none
  const { judged, isOld, trouble, known } = useJudged(bench, draft, catalogue.revision, setHistory, tell)
  /** The verdict on what stands there: none if that could not be judged. */
  const current = trouble === undefined ? judged : undefined

  const isShown = judged !== undefined
  useEffect(() => {
    if (isShown) bench.shelf().then(setShelf, away)
  }, [bench, away, catalogue, isShown])
  useEffect(() => {
    if (endpoint === undefined || !isShown) return
    let isCurrent = true
    bench.callers(endpoint).then((callers) => isCurrent && setCallers({ endpoint, callers }), away)
    return () => {
      isCurrent = false
    }
  }, [bench, away, endpoint, catalogue, isShown])

  /** Of what is on the page. */
  const revision = useRef(first.revision)
  const working = useRef<Promise<unknown>>(undefined)
  useRevisions(bench, first.revision, async (now) => {
    // What is being saved from here is no news.
    await working.current
    if (now === revision.current) return
    revision.current = now
    const next = await bench.catalogue()
    request.sheets.current.clear()
    setCatalogue(next)
    setNotice(next.broken === undefined ? { text: 'judged again: something changed on disk' } : undefined)
  })

  const blamed = useMemo(() => judged?.errors.map(({ address }) => address) ?? [], [judged])
  const text = draft?.message
  const isUnmatched = current?.unmatched !== undefined
  // Until the sheet of another endpoint has come, the one before stays: what has the focus keeps it.
  const scene = useMemo(
    () =>
      sheet && text !== undefined
        ? sceneOf(isUnmatched ? unmatched : sheet.outline, sheet.base, text, blamed)
        : undefined,
    [sheet, text, blamed, isUnmatched],
  )
  const notes = useMemo(() => notesOf(scene, current), [scene, current])
  // What could not be reported is being written: only values are hidden from who writes them.
  const secrets = useMemo(
    () => (scene ? hiddenIn(scene).flatMap(({ slice, isUntold }) => (isUntold ? [] : [slice])) : []),
    [scene],
  )

  /** Changes the message; what is changed says whether typing goes on. */
  const edit = useCallback(
    (message: string, what: string) => {
      setHistory((now) => now && changed(now, { ...now.now, draft: { ...now.now.draft, message } }, what, Date.now()))
    },
    [setHistory],
  )
  const about = (more: Partial<Draft>, what: string) =>
    setHistory((now) => {
      if (!now) return now
      const { message, now: clock, who } = { ...now.now.draft, ...more }
      const own: Draft = { message, ...(clock ? { now: clock } : {}), ...(who ? { who } : {}) }
      return changed(now, { ...now.now, draft: own }, what, Date.now())
    })
  const asks = (caller: Caller | undefined) => {
    if (!scene || !ownSheet) return
    about({ message: asCaller(scene, caller, callers), who: caller?.who ?? '' }, '')
  }
  const { acts, coming } = useActs({
    bench,
    scene,
    sheet,
    kept,
    setKept,
    edit,
    tell,
    onMenu: (line, button) => setMenu({ line, button }),
    onFocus(line) {
      setInLedger(line !== undefined)
      if (line) setFocused(line.address)
    },
  })
  const step = useCallback(
    (by: (history: History) => History | undefined) => setHistory((now) => (now && by(now)) ?? now),
    [setHistory],
  )
  /** Goes to the next line with a fault, above or below the one that has the focus. */
  const toFault = useCallback(
    (by: 1 | -1) => {
      const lines = scene?.ledger.lines ?? []
      const faulty = lines.flatMap((line, at) => (notes.faults.has(line.address) ? [at] : []))
      const here = lines.findIndex((line) => line.address === focused)
      const next =
        by > 0 ? (faulty.find((at) => at > here) ?? faulty[0]) : (faulty.findLast((at) => at < here) ?? faulty.at(-1))
      const line = next === undefined ? undefined : lines[next]
      if (line) reach.current?.(line.address)
    },
    [scene, notes, focused],
  )

  // Nothing leaves the page before the sheet of its endpoint has said what is a secret.
  const safe = useMemo(
    () =>
      scene && (isUnmatched || scene.outline.name === endpoint) && scene.ledger.pieces
        ? { message: withoutSecrets(scene), shared: withoutSecrets(scene, true) }
        : undefined,
    [scene, endpoint, isUnmatched],
  )
  // The address of the page brings it back, secrets and files apart.
  useEffect(() => {
    if (!safe || !state) return
    const timer = setTimeout(async () => {
      // Who asks is a secret too.
      const { now } = state.draft
      const own: Draft = { message: safe.shared, ...(now ? { now } : {}) }
      const fragment = await fragmentOf({
        endpoint: state.endpoint,
        draft: own,
        ...(state.opened ? { opened: state.opened } : {}),
      })
      keeper.write(fragment)
    }, 250)
    return () => clearTimeout(timer)
  }, [safe, state, keeper])

  const samples = useMemo(
    () => new Map(catalogue.books.flatMap((book) => book.samples.map((one): [string, SampleEntry] => [one.id, one]))),
    [catalogue],
  )
  const opened = state?.opened === undefined ? undefined : samples.get(state.opened)
  const fill = (which: 'smallest' | 'fullest') => {
    const make = async () => {
      if (!ownSheet || !endpoint) return
      const made = await startOf(bench, ownSheet, which, shelf)
      if (made) await go(made, state?.opened, endpoint)
      else tell('no accepted request can be made of this declaration; open a sample instead')
    }
    make().catch(away)
  }
  const books = useSaving({
    bench,
    draft,
    message: safe?.message,
    judged,
    opened: state?.opened,
    asRead: request.asRead,
    working,
    setNotice,
    async onChanged(now, openedNow) {
      revision.current = now.revision
      known(now.revision)
      setCatalogue(now)
      setHistory((one) => one && { ...one, now: { ...one.now, opened: openedNow } })
    },
  })
  const paste = async (content: string) => {
    setNotice(undefined)
    const message = pasted(content)
    if (message !== undefined) return go({ message, ...(draft?.now ? { now: draft.now } : {}) })
    const trimmed = content.trim()
    if (!trimmed.startsWith('{')) return tell('no request was pasted: a curl command, a message, or a HAR entry is one')
    const har = /"log"\s*:/.test(trimmed.slice(0, 200)) ? trimmed : `{"log":{"version":"1.2","entries":[${trimmed}]}}`
    const [entry] = await bench.recorded(har)
    if (entry) await go(entry)
  }
  const send = () => setSending((now) => now + 1)
  const save = () => {
    if (!bench.save) return
    if (catalogue.books.length > 0) setOver('saving')
    else tell('no sample book was given: start the desk with one, as in yosei desk intake.ts samples/book.md')
  }

  const actions: ActionsOf = {
    bench,
    catalogue,
    scene,
    judged,
    safe,
    base,
    isRail,
    keyOf,
    opened,
    others: [...samples.values()].filter(
      ({ id }) => id !== state?.opened && endpoint !== undefined && shelf?.stamps[id]?.endpoint === endpoint,
    ),
    tell,
    away,
    fill,
    toFault,
    undo: () => step(undone),
    redo: () => step(redone),
    show: setStop,
    save,
    send,
    paste: () => navigator.clipboard.readText().then(paste).catch(away),
    rail: () => setRail((now) => !now),
    compare: async ({ id, title }) => setOther({ title, judged: await bench.judge(await bench.sample(id)) }),
    rename: () => setOver('renaming'),
    remove: () => books.remove().catch(away),
    open: (name) => openEndpoint(name).catch(away),
  }
  useWindow('keydown', (event) => {
    const { key, shiftKey, altKey } = event
    const isCommand = isApple ? event.metaKey : event.ctrlKey
    const does = (act: () => void) => {
      event.preventDefault()
      act()
    }
    const low = key.toLowerCase()
    if (isCommand && low === 'k') does(() => setOver('palette'))
    else if (isCommand && low === 's') does(save)
    else if (isCommand && low === 'z') does(() => step(shiftKey ? redone : undone))
    else if (isCommand && low === 'y') does(() => step(redone))
    else if (isCommand && low === 'b') does(actions.rail)
    else if (isCommand && key === 'Enter' && bench.send) does(send)
    else if (key === 'F8') does(() => toFault(shiftKey ? -1 : 1))
    else if ((key === 'F10' && shiftKey) || key === 'ContextMenu') {
      const button = (event.target as HTMLElement).closest('.line')?.querySelector<HTMLElement>('.more')
      if (button) does(() => button.click())
    } else if (altKey && (key === 'ArrowDown' || key === 'ArrowUp') && focused !== undefined && scene) {
      const { lines } = scene.ledger
      const here = lines.findIndex((line) => line.address === focused)
      const next = lines[here + (key === 'ArrowDown' ? 1 : -1)]
      if (next) does(() => reach.current?.(next.address))
    }
  })
  useWindow('paste', (event) => {
    const content = event.clipboardData?.getData('text/plain') ?? ''
    const isField = event.target instanceof HTMLElement && event.target.closest('input, textarea, .cm-editor')
    if (!isField || pasted(content) !== undefined) {
      if (isField && event.target instanceof HTMLElement && event.target.closest('.cm-editor')) return
      event.preventDefault()
      paste(content).catch(away)
    }
  })

  // A new line has the focus as soon as it is there. If the one that had it is gone, what holds it has it then.
  useEffect(() => {
    if (!scene) return
    const lines = new Set(scene.ledger.lines.map((line) => line.address))
    const wanted = coming.current
    coming.current = undefined
    if (wanted !== undefined && lines.has(wanted)) return reach.current?.(wanted, true)
    if (focused === undefined || !isInLedger || document.activeElement !== document.body) return
    let near = focused
    while (near !== '' && !lines.has(near)) near = above(near)
    if (near !== '') reach.current?.(near)
  }, [scene, coming, focused, isInLedger])

  const top = useRef<HTMLDivElement>(null)
  useHeight(top, '--top')
  const clock = useMemo(() => {
    const date = new Date(draft?.now ?? Date.now())
    return Number.isNaN(date.getTime()) ? new Date() : date
  }, [draft?.now])
  const rules = useMemo(() => (sheet ? rulesByAddress(sheet.outline) : undefined), [sheet])
  const line = isInLedger ? scene?.ledger.lines.find((one) => one.address === focused) : undefined
  const entry = catalogue.endpoints.find(({ name }) => name === endpoint)
  const probesAt = useCallback(
    async () => (menu && endpoint !== undefined ? bench.probes(endpoint, foldedAddress(menu.line.path)) : []),
    [bench, menu, endpoint],
  )
  const choose = (open: (name: string) => Promise<void>) => (name: string) => {
    if (window.innerWidth <= narrow) setRail(false)
    setNotice(undefined)
    open(name).catch(away)
  }
  const faults = current?.errors ?? never
  const close = () => setOver(undefined)

  return (
    <div className="desk" data-rail={isRail || undefined}>
      {isRail && (
        <Rail
          catalogue={catalogue}
          shelf={shelf}
          endpoint={endpoint}
          opened={state?.opened}
          onEndpoint={choose(openEndpoint)}
          onSample={choose(openSample)}
        />
      )}
      <main>
        <div className="top" ref={top}>
          <Masthead
            title={
              current?.unmatched
                ? `No endpoint has ${current.unmatched.request}`
                : (entry?.title ?? endpoint ?? catalogue.title)
            }
            about={current?.unmatched ? current.unmatched.nearest : entry && `${entry.method} ${entry.template}`}
            isNearest={isUnmatched}
            sample={opened?.title}
            judged={current}
            isOld={isOld}
            isRail={isRail}
            keys={keyOf('K')}
            onRail={actions.rail}
            onActions={() => setOver('palette')}
          />
          {current && scene && <Way judged={current} outline={scene.outline} open={stop} onOpen={setStop} />}
          <Notices notice={notice} onClose={() => setNotice(undefined)} />
        </div>
        {trouble !== undefined && trouble.at !== 'now' && trouble.at !== 'who' && (
          <p className="notice bad" role="alert">
            {trouble.message}
          </p>
        )}
        {catalogue.broken !== undefined && (
          <p className="notice bad" role="alert">
            {catalogue.broken} <small>What was there before still judges.</small>
          </p>
        )}
        {judged && scene && draft && (
          <>
            {stop === 'message' && (
              <Suspense fallback={null}>
                <Text text={draft.message} secrets={secrets} onChange={(message) => edit(message, 'text')} />
              </Suspense>
            )}
            {stop === 'answer' && current && (
              <Answer bench={bench} draft={draft} judged={current} languages={catalogue.languages} />
            )}
            {stop !== undefined && stop !== 'message' && stop !== 'answer' && current && (
              <Station at={stop} judged={current} />
            )}
            {sending > 0 && (
              <Sending
                bench={bench}
                draft={draft}
                judged={judged}
                base={base}
                asked={sending}
                onBase={setBase}
                onClose={() => setSending(0)}
              />
            )}
            {other && (
              <Compared
                title={opened?.title ?? 'this request'}
                judged={judged}
                other={other}
                onClose={() => setOther(undefined)}
              />
            )}
            <About
              key={state?.opened ?? endpoint}
              draft={draft}
              hasWho={scene.outline.who !== undefined}
              callers={callers}
              caller={callerOf(scene, draft, callers)}
              trouble={trouble}
              isSending={sending > 0}
              onChange={about}
              onCaller={asks}
              onFill={fill}
              onSend={bench.send && (() => setSending((now) => (now > 0 ? 0 : 1)))}
              onSave={bench.save && save}
            />
            {faults.some(({ address }) => address === '') && (
              <ul className="whole">
                {faults.flatMap(({ address, code, message }) =>
                  address === '' ? [<li key={code}>{message}</li>] : [],
                )}
              </ul>
            )}
            {scene.ledger.pieces === undefined && (
              <p className="notice bad">
                The message has no request line, such as GET /path HTTP/1.1, so no field of it can be told. Mend it at
                “message”, or undo.
              </p>
            )}
            <Ledger
              scene={scene}
              notes={notes}
              rawLines={rawLines}
              leftOut={kept}
              clock={clock}
              isOld={isOld}
              acts={acts}
              reach={reach}
            />
          </>
        )}
        <Footnote line={line} rules={line && rules?.get(foldedAddress(line.path))} />
      </main>
      <Suspense fallback={null}>
        {menu && scene && (
          <LineMenu
            line={menu.line}
            button={menu.button}
            choices={choicesOf(scene, menu.line, acts, edit, setRawLines, rawLines.has(menu.line.address))}
            probes={probesAt}
            onProbe={(probe) => edit(probed(scene, menu.line, probe), '')}
            onClose={() => setMenu(undefined)}
          />
        )}
        {over === 'palette' && <Palette actions={actionsOf(actions)} onClose={close} />}
        {over === 'saving' && ownSheet && (
          <Saving
            catalogue={catalogue}
            opened={opened}
            usual={
              catalogue.books.find((book) =>
                book.samples.some(({ id }) => endpoint !== undefined && shelf?.stamps[id]?.endpoint === endpoint),
              )?.file
            }
            mine={safe?.message ?? ''}
            onPreview={async (wanted: Wanted) => {
              const { open, lines } = await books.preview(wanted)
              const before = request.asRead.current.get(wanted.replaces ?? '')
              const own = before === undefined ? [] : [sceneOf(ownSheet.outline, ownSheet.base, before)]
              const hidden = [...own, ...(scene ? [scene] : [])].flatMap(secretTexts)
              const veiled = (one: string) => hidden.reduce((now, secret) => now.replaceAll(secret, '••••••'), one)
              return { open, lines: lines.map(({ is, text }) => ({ is, text: veiled(text) })) }
            }}
            onSave={books.save}
            onCompare={async (id) => {
              const there = await bench.sample(id).catch(() => undefined)
              return there && withoutSecrets(sceneOf(ownSheet.outline, ownSheet.base, there.message), true)
            }}
            onClose={close}
          />
        )}
        {over === 'renaming' && opened && <Renaming title={opened.title} onRename={books.rename} onClose={close} />}
      </Suspense>
    </div>
  )
}
