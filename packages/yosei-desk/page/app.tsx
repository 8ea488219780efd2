/** The desk. */
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { FieldError } from 'yosei'
import { fileText } from '../src/bytes.ts'
import type { Bench, Catalogue, Draft, Judged, SampleEntry, Sheet, Shelf } from '../src/terms.ts'
import { Answer } from './answer.tsx'
import { choicesOf, exampleAt, probed } from './choices.ts'
import { Compared, type Other } from './compared.tsx'
import { About, Footnote, Masthead } from './frame.tsx'
import { useRevisions, useWindow } from './hooks.ts'
import { type Acts, Ledger } from './ledger.tsx'
import { foldedAddress, rulesByAddress } from './model/declared.ts'
import { leftOut, type Scene, sceneOf, sendRaw, typed, withElement, withFile, withName } from './model/edits.ts'
import { changed, type History, redone, undone } from './model/history.ts'
import type { Line } from './model/lines.ts'
import { cut } from './model/message.ts'
import { hiddenIn, withoutSecrets, withSecretsOf } from './model/secrets.ts'
import { curlOf, fetchOf, fragmentOf, pasted, type Shared, sharedIn, writeOf } from './model/share.ts'
import { above, changeOf, notesOf, partsOf, statusOf } from './model/verdicts.ts'
import type { Action } from './palette.tsx'
import { Rail } from './rail.tsx'
import type { Save } from './saving.tsx'
import { Sending } from './sending.tsx'
import { Station, type Stop, Way } from './way.tsx'

const Text = lazy(() => import('./text.tsx'))
const LineMenu = lazy(() => import('./menu.tsx'))
const Palette = lazy(() => import('./palette.tsx'))
const Saving = lazy(() => import('./saving.tsx'))

/** Where a copied request goes when no server is named. */
const somewhere = 'http://127.0.0.1:8080'
const isApple = /Mac|iPhone|iPad/.test(navigator.userAgent)
const keyOf = (key: string) => `${isApple ? '⌘' : 'Ctrl '}${key}`
/** Up to here the rail lies above the ledger, and goes when it has been used. */
const narrow = 900
/** What is longer, addresses do not carry: then a reload begins anew. */
const longestFragment = 60_000
const never: readonly FieldError[] = []

/** Where the page keeps what a reload brings back: the fragment of its address, if nothing else is given. */
export interface Keeper {
  read(): string
  write(fragment: string): void
}
const address: Keeper = {
  read: () => location.hash.slice(1),
  write: (fragment) =>
    window.history.replaceState(null, '', fragment.length < longestFragment ? `#${fragment}` : location.pathname),
}

interface AppProps {
  readonly bench: Bench
  readonly catalogue: Catalogue
  readonly keeper?: Keeper
  /** Whether the rail is folded away at first. */
  readonly isFolded?: boolean
}

export function App({ bench, catalogue: first, keeper = address, isFolded = false }: AppProps) {
  const [catalogue, setCatalogue] = useState(first)
  const [shelf, setShelf] = useState<Shelf>()
  const [history, setHistory] = useState<History>()
  const [sheet, setSheet] = useState<Sheet>()
  const [judged, setJudged] = useState<Judged>()
  const [stop, setStop] = useState<Stop>()
  const [isRail, setRail] = useState(() => !isFolded && window.innerWidth > narrow)
  const [isPalette, setPalette] = useState(false)
  const [isSaving, setSaving] = useState(false)
  const [isSending, setSending] = useState(false)
  const [base, setBase] = useState('')
  const [other, setOther] = useState<Other>()
  const [menu, setMenu] = useState<{ line: Line; button: HTMLElement }>()
  const [rawLines, setRawLines] = useState<ReadonlySet<string>>(new Set())
  const [kept, setKept] = useState<ReadonlyMap<string, string>>(new Map())
  const [focused, setFocused] = useState<string>()
  const [notice, setNotice] = useState<string>()
  /** Why what is on the page could not be judged. */
  const [trouble, setTrouble] = useState<string>()
  const sheets = useRef(new Map<string, Sheet>())
  const reach = useRef<((address: string) => void) | null>(null)
  const state = history?.now
  const endpoint = state?.endpoint

  /** The request of each sample as it was when it was opened. */
  const asRead = useRef(new Map<string, string>())
  const turn = useRef(0)
  /** Puts a request on the page. */
  const go = useCallback(
    async (draft: Draft, opened?: string, known?: string) => {
      const own = ++turn.current
      const name = known ?? (await bench.judge(draft)).endpoint ?? first.endpoints[0]?.name
      // What was chosen later is what is meant.
      if (name === undefined || own !== turn.current) return
      setRawLines(new Set())
      setKept(new Map())
      setOther(undefined)
      setHistory((now) =>
        now
          ? changed(now, { endpoint: name, draft, opened }, '', Date.now())
          : { now: { endpoint: name, draft, opened }, past: [], future: [] },
      )
    },
    [bench, first],
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
      const { smallest, outline } = await sheetOf(name)
      await go(
        smallest ?? { message: `${outline.method} ${outline.template.replace(/\{[^}]+\}/g, 'x')} HTTP/1.1` },
        undefined,
        name,
      )
    },
    [sheetOf, go],
  )
  const openSample = useCallback(
    async (id: string) => {
      const sample = await bench.sample(id)
      asRead.current.set(id, sample.message)
      await go(sample, id)
    },
    [bench, go],
  )
  const away = useCallback((error: Error) => setNotice(error.message), [])

  /** What an address says; secrets that it leaves out are those of the sample that was opened. */
  const openShared = useCallback(
    async ({ endpoint: name, draft, opened }: Shared) => {
      const { outline, base } = await sheetOf(name)
      const sample = opened === undefined ? undefined : await bench.sample(opened).catch(() => undefined)
      if (opened !== undefined && sample) asRead.current.set(opened, sample.message)
      const sceneOfText = (message: string) => sceneOf(outline, base, message)
      const message = sample ? withSecretsOf(sceneOfText(draft.message), sceneOfText(sample.message)) : draft.message
      await go({ ...draft, message, ...(sample?.who ? { who: sample.who } : {}) }, sample && opened, name)
    },
    [bench, go, sheetOf],
  )
  // What the address says, or the first sample, or the first endpoint.
  useEffect(() => {
    const start = async () => {
      const shared = await sharedIn(keeper.read())
      const [sample] = first.books.flatMap(({ samples }) => samples)
      if (shared && first.endpoints.some(({ name }) => name === shared.endpoint)) await openShared(shared)
      else if (sample) await openSample(sample.id)
      else if (first.endpoints[0]) await openEndpoint(first.endpoints[0].name)
    }
    start().catch(away)
  }, [first, openShared, openSample, openEndpoint, away, keeper])
  useWindow('hashchange', async () => {
    const shared = await sharedIn(keeper.read())
    if (shared) await openShared(shared).catch(away)
  })

  const isShown = judged !== undefined
  useEffect(() => {
    if (isShown) bench.shelf().then(setShelf, away)
  }, [bench, away, catalogue, isShown])
  useEffect(() => {
    if (endpoint === undefined) return
    let isCurrent = true
    sheetOf(endpoint).then((came) => isCurrent && setSheet(came), away)
    return () => {
      isCurrent = false
    }
  }, [endpoint, sheetOf, catalogue, away])

  const chooseEndpoint = useCallback(
    (name: string) => {
      if (window.innerWidth <= narrow) setRail(false)
      openEndpoint(name).catch(away)
    },
    [openEndpoint, away],
  )
  const chooseSample = useCallback(
    (id: string) => {
      if (window.innerWidth <= narrow) setRail(false)
      openSample(id).catch(away)
    },
    [openSample, away],
  )
  const draft = state?.draft
  const before = useRef<{ judged: Judged; revision: number; draft: Draft }>(undefined)
  useEffect(() => {
    if (!draft) return
    let isCurrent = true
    bench.judge(draft).then(
      (came) => {
        if (!isCurrent) return
        setJudged(came)
        setTrouble(undefined)
        const last = before.current
        before.current = { judged: came, revision: catalogue.revision, draft }
        if (last && last.revision !== catalogue.revision && last.draft === draft) setNotice(changeOf(last.judged, came))
        // The ledger follows the request to the endpoint that it means.
        if (came.endpoint !== undefined)
          setHistory((now) =>
            now && now.now.draft === draft && now.now.endpoint !== came.endpoint
              ? { ...now, now: { ...now.now, endpoint: came.endpoint as string } }
              : now,
          )
      },
      (error: Error) => isCurrent && setTrouble(error.message),
    )
    return () => {
      isCurrent = false
    }
  }, [bench, draft, catalogue])

  /** Of what is on the page. */
  const revision = useRef(first.revision)
  const saving = useRef<Promise<unknown>>(undefined)
  useRevisions(bench, first.revision, async (now) => {
    // What is being saved from here is no news.
    await saving.current
    if (now === revision.current) return
    revision.current = now
    const next = await bench.catalogue()
    sheets.current.clear()
    setCatalogue(next)
    setNotice(next.broken === undefined ? 'judged again: something changed on disk' : undefined)
  })

  const blamed = useMemo(() => judged?.errors.map(({ address }) => address) ?? [], [judged])
  const text = draft?.message
  // Until the sheet of another endpoint has come, the one before stays: what has the focus keeps it.
  const scene = useMemo(
    () => (sheet && text !== undefined ? sceneOf(sheet.outline, sheet.base, text, blamed) : undefined),
    [sheet, text, blamed],
  )
  /** The verdict on what stands there: none if that could not be judged. */
  const current = trouble === undefined ? judged : undefined
  const notes = useMemo(() => notesOf(scene, current), [scene, current])
  // What could not be reported is being written: only values are hidden from who writes them.
  const secrets = useMemo(
    () => (scene ? hiddenIn(scene).flatMap(({ slice, isUntold }) => (isUntold ? [] : [slice])) : []),
    [scene],
  )

  /** Changes the message; what is changed says whether typing goes on. */
  const edit = useCallback((message: string, what: string) => {
    setHistory((now) => now && changed(now, { ...now.now, draft: { ...now.now.draft, message } }, what, Date.now()))
  }, [])
  const about = (more: Partial<Draft>, what: string) =>
    setHistory((now) => {
      if (!now) return now
      const next = { ...now.now.draft, ...more }
      const { message, now: clock, who } = next
      const own: Draft = { message, ...(clock ? { now: clock } : {}), ...(who ? { who } : {}) }
      return changed(now, { ...now.now, draft: own }, what, Date.now())
    })
  const latest = useRef<{ scene: Scene | undefined; sheet: Sheet | undefined; kept: ReadonlyMap<string, string> }>(
    undefined,
  )
  latest.current = { scene, sheet, kept }

  const acts = useMemo<Acts>(() => {
    const on = (line: Line, what: string, by: (scene: Scene, line: Line) => string) => {
      const now = latest.current?.scene
      // The line as it stands now: what was drawn may be a keystroke old.
      const own = now?.ledger.lines.find(({ address }) => address === line.address) ?? line
      if (now) edit(by(now, own), what)
    }
    return {
      type: (line, value) => on(line, `type ${line.address}`, (now, own) => typed(now, own, value)),
      raw: (line, raw) => on(line, `raw ${line.address}`, (now, own) => sendRaw(now, own, raw)),
      leave: (line) => on(line, '', leftOut),
      strike(line) {
        const now = latest.current?.scene
        if (now && line.slice) {
          const raw = cut(now.text, line.slice)
          setKept((all) => new Map(all).set(line.address, raw))
        }
        on(line, '', leftOut)
      },
      restore(line) {
        const raw = latest.current?.kept.get(line.address) ?? ''
        setKept((all) => {
          const next = new Map(all)
          next.delete(line.address)
          return next
        })
        on(line, '', (now, own) => sendRaw(now, own, raw))
      },
      async file(line, file) {
        const content = fileText(new Uint8Array(await file.arrayBuffer()))
        on(line, '', (now, own) => withFile(now, own, file.name, file.type, content))
      },
      addElement: (line) =>
        on(line, '', (now, own) => withElement(now, own, exampleAt(latest.current?.sheet, [...own.path, 0]))),
      addName: (line, name) => {
        on(line, '', (now, own) => withName(now, own, name))
      },
      menu: (line, button) => setMenu({ line, button }),
      focus: (line) => setFocused(line.address),
    }
  }, [edit])

  const step = useCallback(
    (by: (history: History) => History | undefined) => setHistory((now) => (now && by(now)) ?? now),
    [],
  )
  const faulty = useMemo(
    () => scene?.ledger.lines.filter(({ address }) => notes.faults.has(address)).map(({ address }) => address) ?? [],
    [scene, notes],
  )
  const toFault = useCallback(
    (by: number) => {
      if (faulty.length === 0) return
      const here = faulty.indexOf(focused ?? '')
      const next = here < 0 ? (by > 0 ? 0 : faulty.length - 1) : (here + by + faulty.length) % faulty.length
      reach.current?.(faulty[next] as string)
    },
    [faulty, focused],
  )

  // Nothing leaves the page before the sheet of its endpoint has said what is a secret.
  const safe = useMemo(
    () =>
      scene && scene.outline.name === endpoint && scene.ledger.pieces
        ? { message: withoutSecrets(scene), shared: withoutSecrets(scene, true) }
        : undefined,
    [scene, endpoint],
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
  const copy = (what: string, content: string) =>
    navigator.clipboard.writeText(content).then(() => setNotice(`copied ${what}, without secrets`), away)
  const origin = base === '' ? somewhere : base.replace(/\/+$/, '')
  const compareWith = async (one: SampleEntry) =>
    setOther({ title: one.title, judged: await bench.judge(await bench.sample(one.id)) })
  const fill = (which: 'smallest' | 'fullest') => {
    const made = sheet?.[which]
    if (made && endpoint) go(made, state?.opened, endpoint).catch(away)
    else setNotice('no accepted request can be made of this declaration; open a sample instead')
  }
  const save: Save = (file, title, replaces, decisions) => {
    const saved = saveNow(file, title, replaces, decisions)
    saving.current = saved.catch(() => undefined)
    return saved
  }
  const saveNow: Save = async (file, title, replaces, decisions) => {
    if (!draft || !safe || !bench.save) return undefined
    const made = await bench.save({
      draft: { ...draft, message: safe.message },
      file,
      title,
      ...(replaces === undefined ? {} : { replaces, read: asRead.current.get(replaces) ?? '', decisions }),
    })
    if ('open' in made) return made.open
    const { id, stamp } = made
    asRead.current.set(id, (await bench.sample(id)).message)
    const next = await bench.catalogue()
    revision.current = next.revision
    if (before.current) before.current = { ...before.current, revision: next.revision }
    setCatalogue(next)
    setHistory((now) => now && { ...now, now: { ...now.now, opened: id } })
    const isOther = judged && stamp.status !== statusOf(judged)
    setNotice(`saved into ${file} as ${stamp.status}${isOther ? ': what was left out makes the difference' : ''}`)
    return undefined
  }
  const paste = async (content: string) => {
    const message = pasted(content)
    if (message !== undefined) return go({ message, ...(draft?.now ? { now: draft.now } : {}) })
    const trimmed = content.trim()
    if (!trimmed.startsWith('{'))
      return setNotice('no request was pasted: a curl command, a message, or a HAR entry is one')
    const har = /"log"\s*:/.test(trimmed.slice(0, 200)) ? trimmed : `{"log":{"version":"1.2","entries":[${trimmed}]}}`
    const [entry] = await bench.recorded(har)
    if (entry) await go(entry)
  }

  const actionsNow = (): Action[] => [
    { id: 'smallest', label: 'Fill: the smallest accepted request', do: () => fill('smallest') },
    { id: 'fullest', label: 'Fill: the fullest accepted request', do: () => fill('fullest') },
    { id: 'next', label: 'Go to the next error', keys: 'F8', do: () => toFault(1) },
    { id: 'previous', label: 'Go to the previous error', keys: 'Shift F8', do: () => toFault(-1) },
    { id: 'undo', label: 'Undo', keys: keyOf('Z'), do: () => step(undone) },
    { id: 'redo', label: 'Redo', keys: keyOf('Shift Z'), do: () => step(redone) },
    { id: 'message', label: 'Show the message', do: () => setStop('message') },
    { id: 'answer', label: 'Show the answer', do: () => setStop('answer') },
    ...(bench.save ? [{ id: 'save', label: 'Save as a sample', keys: keyOf('S'), do: () => setSaving(true) }] : []),
    ...(bench.send
      ? [{ id: 'send', label: 'Send to a server', keys: keyOf('Enter'), do: () => setSending(true) }]
      : []),
    { id: 'copy-message', label: 'Copy as message', do: () => copy('the message', safe?.message ?? '') },
    { id: 'copy-curl', label: 'Copy as curl', do: () => copy('a curl command', curlOf(safe?.message ?? '', origin)) },
    { id: 'copy-fetch', label: 'Copy as fetch', do: () => copy('a fetch call', fetchOf(safe?.message ?? '', origin)) },
    {
      id: 'copy-write',
      label: 'Copy as write(…)',
      do: () => scene && copy('a write call', writeOf(scene.outline.name, origin, partsOf(scene, judged))),
    },
    {
      id: 'paste',
      label: 'Open what is on the clipboard: curl, HAR entry, message',
      do: () => navigator.clipboard.readText().then(paste).catch(away),
    },
    {
      id: 'rail',
      label: isRail ? 'Fold the rail away' : 'Show the rail',
      keys: keyOf('B'),
      do: () => setRail((now) => !now),
    },
    ...[...samples.values()]
      .filter(({ id }) => id !== state?.opened && shelf?.stamps[id]?.endpoint === endpoint)
      .slice(0, 100)
      .map((one) => ({
        id: `compare ${one.id}`,
        label: `Compare with: ${one.title}`,
        do: () => compareWith(one).catch(away),
      })),
    ...catalogue.endpoints
      .slice(0, 200)
      .map(({ name, title }) => ({
        id: `open ${name}`,
        label: `Open: ${title ?? name}`,
        do: () => openEndpoint(name).catch(away),
      })),
  ]
  useWindow('keydown', (event) => {
    const { key, shiftKey, altKey } = event
    const isCommand = isApple ? event.metaKey : event.ctrlKey
    const does = (act: () => void) => {
      event.preventDefault()
      act()
    }
    const low = key.toLowerCase()
    if (isCommand && low === 'k') does(() => setPalette(true))
    else if (isCommand && low === 's') does(() => bench.save && setSaving(true))
    else if (isCommand && low === 'z') does(() => step(shiftKey ? redone : undone))
    else if (isCommand && low === 'y') does(() => step(redone))
    else if (isCommand && low === 'b') does(() => setRail((now) => !now))
    else if (isCommand && key === 'Enter' && bench.send) does(() => setSending(true))
    else if (key === 'F8') does(() => toFault(shiftKey ? -1 : 1))
    else if ((key === 'F10' && shiftKey) || key === 'ContextMenu') {
      const button = (event.target as HTMLElement).closest('.line')?.querySelector<HTMLElement>('.more')
      if (button) does(() => button.click())
    } else if (altKey && (key === 'ArrowDown' || key === 'ArrowUp') && focused !== undefined && scene) {
      const { lines } = scene.ledger
      const here = lines.findIndex(({ address }) => address === focused)
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

  // What had the focus may be gone: what holds it has it then.
  useEffect(() => {
    if (!scene || focused === undefined || document.activeElement !== document.body) return
    const known = new Set(scene.ledger.lines.map(({ address }) => address))
    let near = focused
    while (near !== '' && !known.has(near)) near = above(near)
    if (near !== '') reach.current?.(near)
  }, [scene, focused])

  const rules = useMemo(() => (sheet ? rulesByAddress(sheet.outline) : undefined), [sheet])
  const line = scene?.ledger.lines.find(({ address }) => address === focused)
  const entry = catalogue.endpoints.find(({ name }) => name === endpoint)
  const probesAt = useCallback(
    async () => (menu && endpoint !== undefined ? bench.probes(endpoint, foldedAddress(menu.line.path)) : []),
    [bench, menu, endpoint],
  )
  const faults = current?.errors ?? never

  return (
    <div className="desk" data-rail={isRail || undefined}>
      {isRail && (
        <Rail
          catalogue={catalogue}
          shelf={shelf}
          endpoint={endpoint}
          opened={state?.opened}
          onEndpoint={chooseEndpoint}
          onSample={chooseSample}
        />
      )}
      <main>
        <Masthead
          title={
            current?.unmatched
              ? `No endpoint has ${current.unmatched.request}`
              : (entry?.title ?? endpoint ?? catalogue.title)
          }
          about={current?.unmatched ? current.unmatched.nearest : entry && `${entry.method} ${entry.template}`}
          isNearest={current?.unmatched !== undefined}
          sample={opened?.title}
          judged={current}
          isRail={isRail}
          keys={keyOf('K')}
          onRail={() => setRail((now) => !now)}
          onActions={() => setPalette(true)}
        />
        {trouble !== undefined && (
          <p className="notice bad" role="alert">
            {trouble}
          </p>
        )}
        {catalogue.broken !== undefined && (
          <p className="notice bad" role="alert">
            {catalogue.broken} <small>What was there before still judges.</small>
          </p>
        )}
        <p className="notice" role="status" hidden={notice === undefined}>
          {notice}
          <button type="button" className="quiet" onClick={() => setNotice(undefined)} aria-label="put the notice away">
            ×
          </button>
        </p>
        {judged && scene && draft && (
          <>
            {current && <Way judged={current} outline={scene.outline} open={stop} onOpen={setStop} />}
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
            {isSending && (
              <Sending
                bench={bench}
                draft={draft}
                judged={judged}
                base={base}
                onBase={setBase}
                onClose={() => setSending(false)}
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
              draft={draft}
              hasWho={scene.outline.who !== undefined}
              isSending={isSending}
              onChange={about}
              onFill={fill}
              onSend={bench.send && (() => setSending((now) => !now))}
              onSave={bench.save && (() => setSaving(true))}
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
            <Ledger scene={scene} notes={notes} rawLines={rawLines} leftOut={kept} acts={acts} reach={reach} />
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
        {isPalette && <Palette actions={actionsNow()} onClose={() => setPalette(false)} />}
        {isSaving && catalogue.books.length > 0 && (
          <Saving
            catalogue={catalogue}
            opened={opened}
            mine={safe?.message ?? ''}
            onSave={save}
            onCompare={async (id) => {
              const there = await bench.sample(id).catch(() => undefined)
              return there && sheet
                ? withoutSecrets(sceneOf(sheet.outline, sheet.base, there.message), true)
                : there && '(a request)'
            }}
            onClose={() => setSaving(false)}
          />
        )}
        {isSaving && catalogue.books.length === 0 && <NoBooks onClose={() => setSaving(false)} tell={setNotice} />}
      </Suspense>
    </div>
  )
}

function NoBooks({ tell, onClose }: { tell: (text: string) => void; onClose: () => void }) {
  useEffect(() => {
    tell('no sample book was given: start the desk with one, as in yosei desk intake.ts samples/book.md')
    onClose()
  }, [tell, onClose])
  return null
}
