/** The rail: endpoints with their samples, what becomes of each, and how much of each endpoint they try. */
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, memo, useDeferredValue, useMemo, useRef, useState } from 'react'
import type { Catalogue, EndpointEntry, SampleEntry, Shelf } from '../src/terms.ts'

type Row =
  | { readonly kind: 'tag'; readonly key: string; readonly name: string }
  | { readonly kind: 'endpoint'; readonly key: string; readonly one: EndpointEntry }
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
  const rows = useMemo(
    () => rowsOf(catalogue, shelf, wanted.trim().toLowerCase(), folded),
    [catalogue, shelf, wanted, folded],
  )
  const scroll = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: (index) => (rows[index]?.kind === 'endpoint' ? 46 : 27),
    overscan: 15,
    getItemKey: (index) => rows[index]?.key ?? index,
  })
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
          if (event.key !== 'Enter') return
          const first = rows.find(({ kind }) => kind !== 'tag')
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
        {rows.length === 0 && <p className="hint">nothing of that name</p>}
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

function rowsOf(
  { endpoints, books }: Catalogue,
  shelf: Shelf | undefined,
  search: string,
  folded: ReadonlySet<string>,
): Row[] {
  const samples = books.flatMap((book) => book.samples)
  const of = new Map<string, SampleEntry[]>()
  const loose: SampleEntry[] = []
  for (const one of samples) {
    const name = shelf?.stamps[one.id]?.endpoint
    if (name === undefined) loose.push(one)
    else if (!of.get(name)?.push(one)) of.set(name, [one])
  }
  const has = (...texts: (string | undefined)[]) =>
    search === '' || texts.some((text) => text?.toLowerCase().includes(search))
  const byTag = new Map<string, EndpointEntry[]>()
  for (const one of endpoints) {
    const tag = one.tags[0] ?? ''
    if (!byTag.get(tag)?.push(one)) byTag.set(tag, [one])
  }
  const rows: Row[] = []
  for (const [tag, all] of byTag) {
    const inside = all.flatMap((one): Row[] => {
      const isMeant = has(one.name, one.title, one.template, `${one.method} ${one.template}`)
      const own = (of.get(one.name) ?? []).filter(({ id, title }) => isMeant || has(title, shelf?.stamps[id]?.status))
      if (!isMeant && own.length === 0) return []
      const below = folded.has(one.name) && search === '' ? [] : own
      return [
        { kind: 'endpoint', key: `endpoint ${one.name}`, one },
        ...below.map((sample) => ({ kind: 'sample' as const, key: sample.id, one: sample })),
      ]
    })
    if (inside.length > 0 && (tag !== '' || byTag.size > 1))
      rows.push({ kind: 'tag', key: `tag ${tag}`, name: tag === '' ? 'without a tag' : tag })
    rows.push(...inside)
  }
  const others = shelf ? loose.filter(({ id, title }) => has(title, shelf.stamps[id]?.status)) : []
  if (others.length > 0)
    rows.push(
      { kind: 'tag', key: 'tag none', name: 'of no endpoint' },
      ...others.map((one) => ({ kind: 'sample' as const, key: one.id, one })),
    )
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
