/** The rail: endpoints with their samples, what becomes of each, and how much of each endpoint they try. */
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, memo, useDeferredValue, useEffect, useMemo, useRef, useState } from 'react'
import type { Catalogue, EndpointEntry, SampleEntry, Shelf } from '../src/terms.ts'

type Row =
  | { readonly kind: 'tag'; readonly key: string; readonly name: string }
  | { readonly kind: 'endpoint'; readonly key: string; readonly one: EndpointEntry; readonly isFound: boolean }
  | { readonly kind: 'sample'; readonly key: string; readonly one: SampleEntry }

interface RailProps {
  readonly catalogue: Catalogue
  readonly shelf: Shelf | undefined
  readonly endpoint: string | undefined
  readonly opened: string | undefined
  readonly onEndpoint: (name: string) => void
  readonly onSample: (id: string) => void
}

export const Rail = memo(function Rail({ catalogue, shelf, endpoint, opened, onEndpoint, onSample }: RailProps) {
  const [search, setSearch] = useState('')
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set())
  const wanted = useDeferredValue(search)
  const rows = useMemo(() => rowsOf(catalogue, shelf, wanted, folded), [catalogue, shelf, wanted, folded])
  const scroll = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: (index) => (rows[index]?.kind === 'endpoint' ? 46 : 27),
    overscan: 15,
    getItemKey: (index) => rows[index]?.key ?? index,
  })
  // What is open is in view, however it came there.
  const shown = useRef<string>(undefined)
  useEffect(() => {
    const wanted = opened ?? (endpoint === undefined ? undefined : `endpoint ${endpoint}`)
    if (wanted === undefined || wanted === shown.current) return
    const index = rows.findIndex(({ key }) => key === wanted)
    if (index < 0) return
    shown.current = wanted
    virtual.scrollToIndex(index, { align: 'auto' })
  }, [opened, endpoint, rows, virtual])
  const fold = (name: string) =>
    setFolded((now) => {
      const next = new Set(now)
      if (!next.delete(name)) next.add(name)
      return next
    })
  return (
    <nav className="rail" aria-label="Endpoints and samples">
      <input
        type="search"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
        placeholder="search"
        aria-label="Search endpoints and samples"
        spellCheck={false}
        onKeyDown={(event) => {
          if (event.key !== 'Enter' || event.ctrlKey || event.metaKey || event.currentTarget.value.trim() === '') return
          const first = rowsOf(catalogue, shelf, event.currentTarget.value, folded).find(
            (row) => row.kind === 'sample' || (row.kind === 'endpoint' && row.isFound),
          )
          if (first?.kind === 'endpoint') onEndpoint(first.one.name)
          else if (first?.kind === 'sample') onSample(first.one.id)
        }}
      />
      <div
        className="shelf"
        ref={scroll}
        tabIndex={0}
        role="group"
        aria-label="Found: arrow keys choose"
        onKeyDown={byArrows}
      >
        {rows.length === 0 && <p className="hint">Nothing matches.</p>}
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map(({ index, start, key }) => {
            const row = rows[index] as Row
            return (
              <div
                key={key}
                data-index={index}
                ref={virtual.measureElement}
                className="seen"
                style={{ transform: `translateY(${start}px)` }}
              >
                {row.kind === 'tag' && <h2>{row.name}</h2>}
                {row.kind === 'endpoint' && (
                  <EndpointRow
                    one={row.one}
                    shelf={shelf}
                    isCurrent={row.one.name === endpoint}
                    isFolded={folded.has(row.one.name)}
                    onFold={() => fold(row.one.name)}
                    onOpen={() => onEndpoint(row.one.name)}
                  />
                )}
                {row.kind === 'sample' && (
                  <SampleRow
                    one={row.one}
                    shelf={shelf}
                    isCurrent={row.one.id === opened}
                    onOpen={() => onSample(row.one.id)}
                  />
                )}
              </div>
            )
          })}
        </div>
      </div>
    </nav>
  )
})

/** Up and down move between rows, left and right fold and unfold. */
function byArrows(event: KeyboardEvent<HTMLElement>): void {
  const { key, currentTarget, target } = event
  const all = [...currentTarget.querySelectorAll<HTMLElement>('.open, .sample')]
  const here = all.indexOf(target as HTMLElement)
  if (key === 'ArrowDown' || key === 'ArrowUp') {
    const current = all.find((one) => one.getAttribute('aria-current') === 'true')
    const next = here < 0 ? (current ?? all[0]) : all[here + (key === 'ArrowDown' ? 1 : -1)]
    next?.focus()
  } else if ((key === 'ArrowLeft' || key === 'ArrowRight') && here >= 0) {
    const fold = (target as HTMLElement).parentElement?.querySelector<HTMLElement>('.fold')
    if (fold?.getAttribute('aria-expanded') === String(key === 'ArrowLeft')) fold.click()
  } else return
  event.preventDefault()
}

/** Every word of a search is found in the texts, in any order. */
const hasAll = (words: readonly string[], ...texts: readonly (string | undefined)[]) => {
  const text = texts.join(' ').toLowerCase()
  return words.every((word) => text.includes(word))
}

/**
 * What a search finds, or everything: titles with the text as it was typed stand first, then titles with its words, then
 * what is found by its address.
 */
function rowsOf(
  { endpoints, books }: Catalogue,
  shelf: Shelf | undefined,
  search: string,
  folded: ReadonlySet<string>,
): Row[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const ranked = [[words.join(' ')], words]
  const samples = books.flatMap((book) => book.samples)
  const of = new Map<string, SampleEntry[]>()
  const loose: SampleEntry[] = []
  for (const one of samples) {
    const name = shelf?.stamps[one.id]?.endpoint
    if (name === undefined) loose.push(one)
    else if (!of.get(name)?.push(one)) of.set(name, [one])
  }
  const rowsOfSamples = (all: readonly SampleEntry[]) => all.map((one): Row => ({ kind: 'sample', key: one.id, one }))
  const byTag = new Map<string, { rank: number; rows: Row[] }[]>()
  for (const one of endpoints) {
    const titles = [one.title, one.name]
    const texts = [...titles, one.method, one.template]
    const isFound = hasAll(words, ...texts)
    const own = of.get(one.name) ?? []
    const found = isFound
      ? own
      : own.filter(({ id, title }) => hasAll(words, title, shelf?.stamps[id]?.status, ...texts))
    if (!isFound && found.length === 0) continue
    const isBy = (some: readonly string[]) => hasAll(some, ...titles) || found.some(({ title }) => hasAll(some, title))
    const rank = ranked.findIndex(isBy)
    const below = folded.has(one.name) && words.length === 0 ? [] : found
    const rows: Row[] = [{ kind: 'endpoint', key: `endpoint ${one.name}`, one, isFound }, ...rowsOfSamples(below)]
    const tag = one.tags[0] ?? ''
    if (!byTag.get(tag)?.push({ rank, rows })) byTag.set(tag, [{ rank, rows }])
  }
  const rows: Row[] = []
  const hasTags = endpoints.some(({ tags }) => (tags[0] ?? '') !== '')
  for (const rank of [0, 1, -1])
    for (const [tag, groups] of byTag) {
      const own = groups.filter((group) => group.rank === rank)
      if (own.length > 0 && hasTags)
        rows.push({ kind: 'tag', key: `tag ${tag} ${rank}`, name: tag === '' ? 'without a tag' : tag })
      rows.push(...own.flatMap((group) => group.rows))
    }
  const others = shelf ? loose.filter(({ id, title }) => hasAll(words, title, shelf.stamps[id]?.status)) : []
  if (others.length > 0) rows.push({ kind: 'tag', key: 'tag none', name: 'of no endpoint' }, ...rowsOfSamples(others))
  return rows
}

function EndpointRow({
  one: { name, method, template, title },
  shelf,
  isCurrent,
  isFolded,
  onFold,
  onOpen,
}: {
  one: EndpointEntry
  shelf: Shelf | undefined
  isCurrent: boolean
  isFolded: boolean
  onFold: () => void
  onOpen: () => void
}) {
  const covered = shelf?.coverage[name]
  const share = covered && covered.all > 0 ? covered.tripped / covered.all : undefined
  const told =
    covered &&
    `${covered.tripped} of ${covered.all} demands tripped by samples${covered.untripped.length > 0 ? `; never: ${covered.untripped.slice(0, 12).join(', ')}${covered.untripped.length > 12 ? ', …' : ''}` : ''}`
  return (
    <div className="endpoint" data-current={isCurrent || undefined}>
      <button
        type="button"
        className="fold"
        tabIndex={-1}
        aria-expanded={!isFolded}
        aria-label={`samples of ${title ?? name}`}
        onClick={onFold}
      >
        {isFolded ? '+' : '−'}
      </button>
      <button type="button" className="open" tabIndex={-1} aria-current={isCurrent || undefined} onClick={onOpen}>
        <span>{title ?? name}</span>
        <code>
          <b>{method}</b> {template}
        </code>
      </button>
      {share !== undefined && (
        <span
          className="share"
          title={told}
          role="img"
          aria-label={told ?? ''}
          style={{ '--share': share } as object}
        />
      )}
    </div>
  )
}

function SampleRow({
  one: { id, title },
  shelf,
  isCurrent,
  onOpen,
}: {
  one: SampleEntry
  shelf: Shelf | undefined
  isCurrent: boolean
  onOpen: () => void
}) {
  const stamp = shelf?.stamps[id]
  const isOdd = (stamp?.faults?.length ?? 0) > 0
  return (
    <button
      type="button"
      className="sample"
      tabIndex={-1}
      aria-current={isCurrent || undefined}
      data-sample={id}
      onClick={onOpen}
      title={stamp?.faults?.join('\n')}
    >
      <span className={stamp?.isGood === false ? 'stamp bad' : 'stamp'}>
        {stamp ? (stamp.isGood ? (stamp.status === 'accepted' ? 'ok' : '…') : stamp.status) : ''}
      </span>
      <span>{title}</span>
      {isOdd && <em>not as written</em>}
    </button>
  )
}
